"""Mesh files in and out. Writing changes UVs and nothing else."""

from quilt_core.formats.load import read_scene, write_scene

__all__ = ["read_scene", "write_scene"]
