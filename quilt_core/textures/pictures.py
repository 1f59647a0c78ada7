"""Pictures are opened in one place, where their size is looked at before anything is decoded."""

from __future__ import annotations

import io
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from quilt_core.errors import QuiltError

if TYPE_CHECKING:
    from PIL.Image import Image

# What it thinks of odd tags is nobody's business here.
warnings.filterwarnings("ignore", category=UserWarning, module=r"PIL\.")

MOST_PIXELS = 16384 * 16384


def check_pixels(name: str, width: int, height: int) -> None:
    """Look whether a picture of that size may be decoded.

    Raises
    ------
    QuiltError
    """
    if width * height > MOST_PIXELS:
        raise QuiltError(
            f"The image has {width:,} x {height:,} px.", name, "Scale it to 16,384 px or less."
        )


@contextmanager
def opened(name: str, data: bytes) -> Iterator[Image]:
    """A picture whose header is read; its pixels are once they are asked for.

    Raises
    ------
    QuiltError
        When it is too large, or cannot be read, also while it is used.
    """
    from PIL import Image  # loads slowly

    # Its own limit is lower than ours, and does not tell the size.
    Image.MAX_IMAGE_PIXELS = None
    try:
        with Image.open(io.BytesIO(data)) as image:
            check_pixels(name, *image.size)
            yield image
    except QuiltError:
        raise
    except Exception:  # whatever is wrong with it
        raise QuiltError(
            "The image cannot be read.", name, "Save it again as PNG, or supply another one."
        ) from None
