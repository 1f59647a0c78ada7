"""Names of edits and of their choices; nothing compiled stands behind them."""

VERBS = (
    "cut", "split off", "rip", "cut folds", "join", "fewer islands", "close near seams", "dissolve crumbs",
    "weld",     "ease", "symmetrize", "straighten", "level", "upright", "round", "project", "flatten along", "move corners",
    "line up corners",
)  # fmt: skip
SHAPES = ("plane", "box", "cylinder", "cone", "sphere")
AXES = ("average", "x", "y", "z")
WAYS = ("left", "right", "top", "bottom", "middle", "level", "line", "even")
