"""How painted files are merged, and what the new textures are called."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from quilt_core.errors import LayoutError
from quilt_core.pack import PackSettings
from quilt_core.textures.profile import Profile

NAMING = "{name}_{role}"
PLACES = ("{name}", "{role}", "{tile}")


@dataclass(frozen=True)
class Sheet:
    """A set of textures: that of a tile.

    Parameters
    ----------
    name : str
        Of its material, and what names of its textures begin with.
    width, height : int
        px.
    tile : int
        Number of the tile, which is told in names; 0 for one that stands alone.
    """

    name: str
    width: int
    height: int
    tile: int = 0

    @property
    def corner(self) -> tuple[int, int]:
        """UV of the tile's lower left corner."""
        place = self.tile - 1001 if self.tile else 0
        return place % 10, place // 10

    @property
    def title(self) -> str:
        """What its material is called."""
        return f"{self.name} {self.tile}" if self.tile else self.name


@dataclass(frozen=True)
class MergeSettings:
    """How painted files are merged.

    Parameters
    ----------
    pack : PackSettings
        Size, padding, margin, effort and seed.
    density : str or float
        See `quilt_core.textures.arrange.arrange`.
    filter_name : str
        See `quilt_core.textures.carry.carry`.
    keep_channel : bool
        The shared layout goes to a free channel, so that the old ones survive.
    name : str
        Of the materials, and what names of textures begin with.
    embed : bool
        Whether textures are kept in the files.
    role_sizes : dict
        Slot name to another width in px.
    naming : str
        Pattern of names with {name}, {role} and {tile}.
    form : str
        png, jpeg or webp, for colours and emission; all else is PNG.
    bits : int
        8 or 16 for each channel, 0 for as many as the old textures have.
    profile : Profile, optional
        Further textures, beside those that the files refer to.
    compare : bool
        Whether differences of the base colour are drawn.
    measure : bool
        Whether what each object loses is measured.
    joint : bool
        Whether all files are put into one GLB, too.
    most_repeats : float, optional
        Objects whose islands cover their textures more often than this stay out; without it all
        repeats are laid out.
    """

    pack: PackSettings = field(default_factory=PackSettings)
    density: str | float = "keep"
    filter_name: str = "bilinear"
    keep_channel: bool = False
    name: str = "atlas"
    embed: bool = False
    role_sizes: dict[str, int] = field(default_factory=dict)
    naming: str = NAMING
    form: str = "png"
    bits: int = 0
    profile: Profile | None = None
    compare: bool = False
    measure: bool = True
    joint: bool = False
    most_repeats: float | None = None

    def __post_init__(self) -> None:
        check_name(self.name)
        check_naming(self.naming)
        if self.profile:
            check_naming(self.profile.naming)

    @property
    def sheet(self) -> Sheet:
        """The only one, where nothing else is said."""
        return Sheet(self.name, self.pack.width, self.pack.height)

    def check_names(self, sheets: Sequence[Sheet]) -> None:
        """Refuse patterns that give textures of two sheets one name.

        Raises
        ------
        LayoutError
        """
        for naming in (self.naming, self.profile.naming if self.profile else NAMING):
            names = [self.file_name(sheet, naming)("role") for sheet in sheets]
            if len(set(names)) < len(names):
                raise LayoutError(
                    f"“{naming}” gives textures of two atlases one name.",
                    "naming",
                    "Put {name} into the pattern.",
                )

    def file_name(self, sheet: Sheet, naming: str = "") -> Callable[[str], str]:
        """Name of the file of a role on a sheet, without its ending."""
        return lambda role: named(naming or self.naming, sheet.name, role, sheet.tile)


def check_name(name: str) -> None:
    """Refuse a name that cannot begin the names of files.

    Raises
    ------
    LayoutError
    """
    if not re.fullmatch(r"\w[\w .-]{0,80}", name):
        raise LayoutError(
            f"“{name}” cannot begin the names of files.",
            "name",
            "Give letters, digits, dots, dashes and spaces.",
        )


def check_naming(pattern: str) -> None:
    """Refuse a pattern that gives two roles one name, or no name of a file.

    Raises
    ------
    LayoutError
    """
    bare = pattern
    for place in PLACES:
        bare = bare.replace(place, "")
    if "{role}" not in pattern or not re.fullmatch(r"[\w .-]{0,80}", bare):
        raise LayoutError(
            f"“{pattern}” is no pattern for names of textures.",
            "naming",
            "Give {role}, and {name} and {tile} where wanted, with letters, digits, dots and dashes.",
        )


def named(pattern: str, name: str, role: str, tile: int) -> str:
    """A name by a pattern; the number of a tile is added where the pattern does not place it.

    Examples
    --------
    >>> named("{name}_{role}", "harbour", "normal", 1002)
    'harbour_normal.1002'
    >>> named("{role}-{tile}", "harbour", "normal", 0)
    'normal'
    """
    if tile and "{tile}" not in pattern:
        pattern += ".{tile}"
    if not tile:
        pattern = re.sub(r"[._ -]*\{tile\}", "", pattern)
    return pattern.replace("{name}", name).replace("{role}", role).replace("{tile}", str(tile))
