"""How the C library hands out memory to processes that run for weeks."""

from __future__ import annotations

import contextlib
import ctypes

M_MMAP_THRESHOLD, M_ARENA_MAX = -3, -8
"""Of `mallopt(3)`, glibc's malloc.h."""
LARGE = 131_072
"""Bytes from which a block has pages of its own, which go back to the system once it is free."""
HEAPS = 2
"""As many as each of several processes answers requests at once."""


def give_back_large_blocks() -> None:
    """Keep large blocks out of the heaps, and small ones in few of them; to be called before threads are started.

    By default glibc raises the first limit, up to 32 MiB, with each large block that is freed, and gives threads a heap
    each; then rows and answers of half a megabyte lie between small blocks, in every heap, and what they leave behind is
    never whole enough to be given back. Other C libraries have no such call, and no such limits.
    """
    with contextlib.suppress(OSError, AttributeError):
        mallopt = ctypes.CDLL(None).mallopt
        mallopt(M_MMAP_THRESHOLD, LARGE)
        mallopt(M_ARENA_MAX, HEAPS)
