"""Gather: files, objects, atlases, channels."""
