"""An image over a tile: a label sheet that islands are fitted to, painted distances of rays, or one that the model wears."""

from __future__ import annotations

from quilt_core.errors import QuiltError
from studio import storage
from studio.actions.errors import Refused
from studio.models import Atlas, TileImage
from studio.state import read_state


def lay_image(
    atlas: Atlas, tile: int, name: str, data: bytes, purpose: str = TileImage.BEHIND
) -> TileImage:
    """Lay an image over a tile, instead of the one that is there for this purpose."""
    from quilt_core.textures.decode import decode

    if atlas.head is None or tile not in [t.number for t in read_state(atlas.head).tiles]:
        raise Refused(f"There is no tile {tile}.", atlas.name, "Add it in Arrange, Tiles.")
    try:
        decode(name, data)
    except QuiltError as error:
        raise Refused(error.what, name, error.fix) from None
    row, _ = TileImage.objects.update_or_create(
        atlas=atlas,
        tile=tile,
        purpose=purpose,
        defaults={"name": name[:255], "sha256": storage.put(data)},
    )
    return row
