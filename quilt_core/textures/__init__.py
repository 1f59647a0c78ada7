"""Textures of materials: read, carried over to a new layout, bled, written."""
