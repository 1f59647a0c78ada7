"""Edits of a layout: mesh, UVs and what was picked in, UVs out."""
