"""Damaged pictures, and such as say that they are huge, in each format that is read."""

import io
import struct
import zlib

import numpy as np
import pytest
from PIL import Image

from quilt_core.errors import QuiltError
from quilt_core.formats._images import image_size
from quilt_core.textures.decode import decode
from tests.core.examples import examples

RNG = np.random.default_rng(11)
PIXELS = RNG.integers(0, 256, (24, 17, 4), np.uint8)
FLOATS = RNG.random((24, 17, 3), np.float32)


def pillow(kind, mode, **options):
    out = io.BytesIO()
    Image.fromarray(PIXELS).convert(mode).save(out, kind, **options)
    return out.getvalue()


def exr():
    import OpenEXR

    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    out = io.BytesIO()
    OpenEXR.File(header, {"RGB": FLOATS}).write(out)
    return out.getvalue()


def hdr():
    import cv2

    return cv2.imencode(".hdr", FLOATS)[1].tobytes()


def png_16():
    import cv2

    return cv2.imencode(".png", PIXELS.astype(np.uint16) * 257)[1].tobytes()


FORMATS = {
    "png": lambda: pillow("PNG", "RGBA"), "png of 16 bit": png_16, "palette": lambda: pillow("PNG", "P"),
    "jpeg": lambda: pillow("JPEG", "RGB"), "webp": lambda: pillow("WEBP", "RGBA", lossless=True),
    "tiff": lambda: pillow("TIFF", "RGBA", compression="tiff_lzw"), "tga": lambda: pillow("TGA", "RGBA"),
    "bmp": lambda: pillow("BMP", "RGB"), "gif": lambda: pillow("GIF", "P"), "exr": exr, "hdr": hdr,
}  # fmt: skip


def damaged(data, rng):
    """Some bytes changed, some gone, some there twice."""
    out = bytearray(data)
    how = rng.integers(4)
    for _ in range(int(rng.integers(1, 9))):
        at = int(rng.integers(len(out))) if how else int(rng.integers(min(64, len(out))))
        if how < 2:
            out[at] = int(rng.integers(256))
        elif how == 2:
            del out[at : at + int(rng.integers(1, 40))]
        else:
            out[at:at] = out[at : at + int(rng.integers(1, 40))]
        if not out:
            break
    return bytes(out)


@pytest.mark.parametrize("name", FORMATS)
def test_a_damaged_picture_is_read_or_refused_in_words(name):
    whole = FORMATS[name]()
    assert decode(name, whole).size == (17, 24)
    rng = np.random.default_rng(5)
    for _ in range(examples(60)):
        data = damaged(whole, rng)
        image_size(data)
        try:
            assert decode(name, data).pixels.shape[2] == 4
        except QuiltError as error:
            assert error.what and error.fix


def png_of(width, height):
    def chunk(kind, body):
        return (
            struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
        )

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    # ISO/IEC 15948, 5.2 and 11.2.
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(b""))
        + chunk(b"IEND", b"")
    )


@pytest.mark.parametrize("data", [png_of(60_000, 60_000), b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 60000 +X 60000\n"], ids=["png", "hdr"])  # fmt: skip
def test_a_picture_that_says_it_is_huge_is_refused_before_it_is_decoded(data):
    assert len(data) < 100
    with pytest.raises(QuiltError, match=r"60,000 x 60,000 px"):
        decode("huge", data)


def test_the_largest_picture_that_is_read_has_a_size():
    assert image_size(png_of(16_384, 16_384)) == (16_384, 16_384)
    assert image_size(png_of(60_000, 60_000)) is None
