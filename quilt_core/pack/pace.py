"""News at a steady pace from work that is silent for long."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, wait
from typing import Any, TypeVar

NEWS_EVERY = 0.3
"""Seconds between two looks at work in progress."""

T = TypeVar("T")


def while_at_work(tasks: Sequence[Future[Any]]) -> Iterator[None]:
    """Yield every `NEWS_EVERY` seconds until all tasks have ended."""
    while wait(tasks, timeout=NEWS_EVERY).not_done:
        yield


def steady(source: Iterator[T]) -> Iterator[T]:
    """Yield what `source` yields, and its last item again every `NEWS_EVERY` seconds while it is
    silent.

    The source runs in a thread of its own. Closing this waits until the source comes to its next
    item.

    Examples
    --------
    >>> list(steady(iter("abc")))
    ['a', 'b', 'c']
    """
    ended = object()
    with ThreadPoolExecutor(1) as worker:
        last: Any = ended
        while True:
            task = worker.submit(next, source, ended)
            for _ in while_at_work([task]):
                if last is not ended:
                    yield last
            last = task.result()
            if last is ended:
                return
            yield last
