"""Packing islands into a tile: an anytime search that reports its best so far."""

from quilt_core.pack.layout import pack_islands, pieces_of
from quilt_core.pack.problem import Attempt, PackProblem, PackSettings, turns_for
from quilt_core.pack.search import search

__all__ = ["Attempt", "PackProblem", "PackSettings", "pack_islands", "pieces_of", "search", "turns_for"]
