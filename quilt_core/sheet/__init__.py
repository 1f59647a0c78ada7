"""Images of layouts: layout sheets for painters and the checker."""

from quilt_core.sheet.checker import checker
from quilt_core.sheet.colours import object_colours
from quilt_core.sheet.layout_sheet import layout_png, layout_svg

__all__ = ["checker", "layout_png", "layout_svg", "object_colours"]
