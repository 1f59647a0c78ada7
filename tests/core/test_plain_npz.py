"""Files of many arrays against NumPy's own reader and writer."""

import copy
import io
import zipfile

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from quilt_core.document.plain_npz import read_npz, write_npz
from tests.core.examples import examples

DTYPES = st.sampled_from([np.float64, np.float32, np.int64, np.int32, np.bool_, np.uint8, "<U7"])
ARRAYS = st.dictionaries(
    st.text("abcdefgh_", min_size=1, max_size=8),
    DTYPES.flatmap(lambda kind: arrays.arrays(kind, arrays.array_shapes(min_dims=0, min_side=0))),
    max_size=6,
)


def same(one, other):
    assert (one.dtype, one.shape, one.tobytes()) == (other.dtype, other.shape, other.tobytes())


@settings(max_examples=examples(60))
@given(ARRAYS)
def test_numpy_reads_what_is_written_and_the_other_way_round(given_arrays):
    written = write_npz(given_arrays)
    out = io.BytesIO()
    np.savez(out, **given_arrays)
    with np.load(io.BytesIO(written)) as found:
        assert set(found.files) == set(given_arrays)
        for name, array in given_arrays.items():
            same(found[name], array)
    for data in (written, out.getvalue()):
        for name, array in read_npz(data).items():
            same(array, given_arrays[name])
            assert array.flags.writeable


def test_arrays_in_fortran_s_order():
    out = io.BytesIO()
    np.savez(out, a=np.asfortranarray(np.arange(6.0).reshape(2, 3)), b=np.arange(3))
    assert read_npz(out.getvalue())["a"].tolist() == [[0, 1, 2], [3, 4, 5]]
    assert write_npz({"a": np.arange(3)}) == write_npz({"a": np.arange(3)})


def wrong_files():
    packed, pickled, long = io.BytesIO(), io.BytesIO(), io.BytesIO()
    np.savez_compressed(packed, a=np.zeros(9))
    np.savez(pickled, a=np.array([{}]))
    with zipfile.ZipFile(long, "w") as archive:
        head = io.BytesIO()
        facts = {"descr": "<f8", "fortran_order": False, "shape": (2**40, 2**40)}
        np.lib.format.write_array_header_1_0(head, facts)
        archive.writestr("a.npy", head.getvalue() + b"\0" * 64)
    good = write_npz({"a": np.arange(9)})
    piled = io.BytesIO()
    with zipfile.ZipFile(piled, "w") as archive:
        archive.writestr("a.npy", zipfile.ZipFile(io.BytesIO(good)).read("a.npy"))
        for k in range(99):
            # All lie where the first one lies.
            again = copy.copy(archive.filelist[0])
            again.filename = f"b{k}.npy"
            archive.filelist.append(again)
    return {
        "packed": packed.getvalue(), "objects": pickled.getvalue(), "longer than it is": long.getvalue(), "on one another": piled.getvalue(),
        "cut": good[: len(good) // 2], "nothing": b"", "another header": good.replace(b"PK\x03\x04", b"PK\x03\x05"),
    }  # fmt: skip


@pytest.mark.parametrize("name", wrong_files())
def test_what_is_no_plain_file_of_arrays_is_refused(name):
    with pytest.raises((ValueError, zipfile.BadZipFile)):
        read_npz(wrong_files()[name])
