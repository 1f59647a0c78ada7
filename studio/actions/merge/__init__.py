"""Carry over: textures of painted objects on their shared layout."""
