"""Names of edits and of their choices; nothing compiled stands behind them."""

EDIT_VERBS = (
    "cut", "split off", "unpick vertex", "cut folds", "join", "fewer islands", "close near seams", "merge tiny islands",
    "weld",     "reduce stretch", "symmetrize", "straighten", "level", "upright", "round", "project", "unwrap along", "move vertices",
    "line up vertices",
)  # fmt: skip
SHAPES = ("plane", "box", "cylinder", "cone", "sphere")
AXES = ("average", "x", "y", "z")
WAYS = ("left", "right", "top", "bottom", "middle", "level", "line", "even")
