"""Many numbers at once against Python's own reading of each, which rounds right."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quilt_core.formats._plain_numbers import decimals, integers
from tests.core.examples import examples

DIGITS = st.text("0123456789", max_size=12)
NUMBERS = st.one_of(
    st.builds("{}{}.{}".format, st.sampled_from(["", "-"]), DIGITS, DIGITS.filter(len)),
    st.builds("{}{}.".format, st.sampled_from(["", "-"]), DIGITS.filter(len)),
    st.floats(-1e4, 1e4).map("{:.17f}".format),
    st.floats(-30, 30).map("{:.6f}".format),
    st.integers(-(10**17), 10**17).map(str),
)


def as_bytes(text):
    return np.frombuffer(text.encode(), np.uint8)


@settings(max_examples=examples(150))
@given(st.lists(NUMBERS, min_size=1, max_size=40), st.sampled_from([" ", "\n", "\t \r\n"]))
def test_decimals_are_what_python_reads(words, between):
    # Long ones are few among others: the plain ones are there ten times.
    words = [*words, *["0.25"] * 10 * len(words)]
    found = decimals(as_bytes(between.join(words)))
    assert found is not None
    assert found.tobytes() == np.array([float(word) for word in words]).tobytes()


@given(st.lists(st.integers(-(10**15) + 1, 10**15 - 1), max_size=40))
def test_integers_are_what_python_reads(numbers):
    assert integers(as_bytes(" ".join(map(str, numbers)) + "\n")).tolist() == numbers


@pytest.mark.parametrize(
    "word", ["1-2", "-", "--1", "1-", "1..2", "1.2.3", "1e5", "nan", "inf", "+1", ".", "-.", "1_0", "x", "1\0", "٣"]
)  # fmt: skip
def test_other_words_are_left_to_python(word):
    assert decimals(as_bytes(f"1 {word} 2\n")) is None
    assert integers(as_bytes(f"1 {word} 2\n")) is None


def test_whole_numbers_that_no_index_has_are_left_to_python():
    assert integers(as_bytes("1 9223372036854775808 2")) is None
    assert integers(as_bytes("1 2.5 2")) is None
    assert decimals(as_bytes("0.1234567890123456789 " * 3)) is None
