"""Islands of revisions as rows of the database hold them, and those that were read lately."""

from __future__ import annotations

import threading
import zlib
from collections import OrderedDict
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.islands import CHANGED_ISLAND, ISLAND
from studio.models import Revision

KEPT_BYTES = 48_000_000
"""So much of what was read lately is kept in memory."""

Islands = NDArray[np.void]
Key = tuple[int, datetime]


class LruCache:
    """Islands by revision and its time, which tells it from another one that once had its number; read-only."""

    def __init__(self, most: int) -> None:
        self._most, self._bytes = most, 0
        self._rows: OrderedDict[Key, Islands] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Key) -> Islands | None:
        """Those of a revision, when they are here."""
        with self._lock:
            found = self._rows.get(key)
            if found is not None:
                self._rows.move_to_end(key)
            return found

    def keep(self, key: Key, islands: Islands) -> Islands:
        """Keep them, and let go of what was not asked for the longest."""
        islands.flags.writeable = False
        with self._lock:
            if key not in self._rows:
                self._rows[key] = islands
                self._bytes += islands.nbytes
            while self._bytes > self._most and len(self._rows) > 1:
                self._bytes -= self._rows.popitem(last=False)[1].nbytes
        return islands

    def forget(self) -> None:
        """Let go of all: what is asked for next is read."""
        with self._lock:
            self._rows.clear()
            self._bytes = 0


RECENT = LruCache(KEPT_BYTES)


def stored_islands(revision_id: int, created: datetime) -> Islands:
    """(I,) `ISLAND` of a revision: its keyframe's, or an ancestor's that is in memory, with what was changed since."""
    key = (revision_id, created)
    known = RECENT.get(key)
    return known if known is not None else RECENT.keep(key, _read(revision_id))


def _read(revision_id: int) -> Islands:
    rows = Revision.objects.values_list("keyframe", "parent", "parent__created", "state")
    keyframe, parent, parent_created, data = rows.get(pk=revision_id)
    if keyframe is None:
        return np.frombuffer(zlib.decompress(bytes(data)), ISLAND).copy()
    changes = [data]
    assert parent is not None and parent_created is not None
    out = RECENT.get((parent, parent_created))
    if out is None and parent != keyframe:
        lower = Revision.objects.filter(keyframe=keyframe, pk__lt=revision_id)
        steps = {
            pk: (before, state) for pk, before, state in lower.values_list("pk", "parent", "state")
        }
        while parent != keyframe:
            assert parent is not None
            parent, data = steps[parent]
            changes.append(data)
    if out is None:
        whole = Revision.objects.values_list("state", flat=True).get(pk=keyframe)
        out = np.frombuffer(zlib.decompress(bytes(whole)), ISLAND)
    out = out.copy()
    for data in reversed(changes):
        changed = np.frombuffer(zlib.decompress(bytes(data)), CHANGED_ISLAND)
        out[changed["island"]] = changed["state"]
    return out
