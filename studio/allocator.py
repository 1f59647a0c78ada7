"""How the C library hands out memory to processes that run for weeks."""

from __future__ import annotations

import contextlib
import ctypes

M_MMAP_THRESHOLD = -3
"""Of `mallopt(3)`, glibc's malloc.h."""
LARGE = 131_072
"""Bytes from which a block has pages of its own, which go back to the system once it is free."""


def give_back_large_blocks() -> None:
    """Keep large blocks out of the heaps.

    By default glibc raises this limit, up to 32 MiB, with each large block that is freed; then rows and answers of half a
    megabyte lie between small ones, in one heap for each thread, and what they leave behind is never whole enough to be
    given back. Other C libraries have no such call, and no such limit.
    """
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).mallopt(M_MMAP_THRESHOLD, LARGE)
