"""Exact placing of some islands among others, as it is asked for by hand."""

from quilt_core.place.room import make_room
from quilt_core.place.settle import DIRECTIONS, settle

__all__ = ["DIRECTIONS", "make_room", "settle"]
