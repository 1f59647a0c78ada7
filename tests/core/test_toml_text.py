"""Run sheets and profiles from anybody: words, in a moment, whatever they hold."""

import pytest

from quilt_core.errors import FileFormatError
from quilt_core.run.sheet import SheetError, read_sheet
from quilt_core.textures.profile import read_profile
from quilt_core.toml_text import MOST_BYTES, read_toml

STRANGE = {
    "nested": b"a = " + b"[" * 5000 + b"]" * 5000,
    "many parts": b".".join([b"a"] * 20_000) + b" = 1",
    "many parts of a table": b"[" + b" . ".join([b"a"] * 20_000) + b"]",
    "many quoted parts": b".".join([b'"a"'] * 20_000) + b" = 1",
    "large": b"#" * (MOST_BYTES + 1),
    "another encoding": "a = 'é'".encode("utf-16"),
    "empty lines": b"\n" * (MOST_BYTES - 9) + b"a = = 1",
    "none": b"a = = 1",
    "endless": b"a = '''",
}


@pytest.mark.parametrize("name", STRANGE)
def test_it_is_refused_in_words(name):
    with pytest.raises(ValueError, match=r"^(It|A key)"):
        read_toml(STRANGE[name])
    with pytest.raises(SheetError):
        read_sheet("s.toml", STRANGE[name])
    with pytest.raises(FileFormatError):
        read_profile("p.toml", STRANGE[name])


def test_usual_keys_are_read():
    assert read_toml(
        b"\xef\xbb\xbfa.b.c = 1.5\n[x.'y z']\nd = 'a.b.c.d.e.f.g.h.i.j.k.l.m.n.o.p.q.r = 1'"
    ) == {
        "a": {"b": {"c": 1.5}},
        "x": {"y z": {"d": "a.b.c.d.e.f.g.h.i.j.k.l.m.n.o.p.q.r = 1"}},
    }


def chain(count, last):
    """Lines of which each takes from the next one."""
    rows = [
        f'[[line]]\nname = "l{k}"\nfrom = ["l{k + 1}"]\nsteps = [{{ do = "pack" }}]'
        for k in range(count)
    ]
    return "\n".join(
        [*rows, f'[[line]]\nname = "l{count}"\n{last}\nsteps = [{{ do = "pack" }}]']
    ).encode()


def test_a_long_chain_of_lines_is_put_in_order_and_a_long_ring_is_told_short():
    sheet = read_sheet("s.toml", chain(3000, 'files = ["a.obj"]'))
    assert [line.name for line in sheet.lines] == [f"l{k}" for k in range(3000, -1, -1)]
    with pytest.raises(SheetError) as refused:
        read_sheet("s.toml", chain(3000, 'from = ["l0"]'))
    assert "l0 → l1" in refused.value.what and refused.value.what.endswith("→ l0.")
    assert len(refused.value.what) < 200
    with pytest.raises(SheetError, match="l9"):
        read_sheet("s.toml", chain(3, 'from = ["l9"]'))
