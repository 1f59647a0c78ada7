"""News at a steady pace, whatever the work behind it does."""

import threading

import pytest

from quilt_core.pack.pace import steady


@pytest.mark.slow
def test_a_silent_source_has_its_last_item_told_again():
    go_on = threading.Event()

    def source():
        yield "first"
        assert go_on.wait(20)
        yield "second"

    told = []
    for item in steady(source()):
        told.append(item)
        if len(told) == 3:
            go_on.set()
    assert told[:3] == ["first"] * 3
    assert told[-1] == "second"


@pytest.mark.slow
def test_before_the_first_item_nothing_is_told():
    def source():
        threading.Event().wait(0.7)
        yield 1

    assert list(steady(source())) == [1]


def test_what_the_source_raises_is_raised_here():
    def source():
        yield 1
        raise ValueError("no room")

    with pytest.raises(ValueError, match="no room"):
        list(steady(source()))


def test_one_who_stops_listening_is_not_kept_waiting():
    ended = []

    def source():
        yield from range(100)
        ended.append(True)

    for item in steady(source()):
        if item == 3:
            break
    assert not ended
