"""Run sheets: what is written wrong is told, what is out of date is found as brute force finds it, what is interrupted goes
on, an older state finds its result again."""

from __future__ import annotations

import hashlib
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from quilt_cli.main import main
from quilt_core.run.engine import STALE, run_sheet, survey
from quilt_core.run.sheet import SheetError, read_sheet
from quilt_core.run.store import Store
from tests.core.examples import examples
from tests.core.run_samples import quad

KILLS = int(os.environ.get("QUILT_KILLS", "2"))


def sheet(*lines: str, head: str = "") -> str:
    return head + "".join(f"\n[[line]]\n{line}\n" for line in lines)


def line(
    name: str,
    files: str = "",
    steps: str = '{ do = "pack", size = 256, effort = "quick" }',
    **more: str,
) -> str:
    rows = [f'name = "{name}"', f"steps = [{steps}]"]
    rows += [f'files = ["{files}"]'] if files else []
    rows += [f"{key.rstrip('_')} = {value}" for key, value in more.items()]
    return "\n".join(rows)


class Folder:
    """A folder with a sheet, and runs of it."""

    def __init__(self, root: Path, capsys) -> None:
        self.root, self.capsys = root, capsys

    def write(self, **files: str) -> None:
        for name, text in files.items():
            path = self.root / name.replace("__", "/").replace("_dot_", ".")
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text)

    def run(self, *argv: str):
        code = main(["run", str(self.root / "s.toml"), "--json", "--jobs", "1", *argv])
        answer = json.loads(self.capsys.readouterr().out)
        return code, {row["name"]: row for row in answer.get("lines", [])} or answer

    def done(self, *argv: str) -> set[str]:
        """Lines that were done, some step of which was not there yet."""
        rows = self.run(*argv)[1].values()
        return {r["name"] for r in rows if r["ran"] and not all(s["cached"] for s in r["steps"])}


@pytest.fixture
def folder(tmp_path, capsys):
    return Folder(tmp_path, capsys)


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("[[line]\n", "no TOML"), ("version = 7\n", "Version 7"), ("", "no line"),
        (sheet("name = ''"), "no name"), (sheet(line("a")), "Nothing goes in"),
        (sheet(line("a", "*.obj"), line("a", "b*.obj")), "Two lines are called"),
        (sheet(line("a", "*.obj", out='"x"'), line("b", "*.obj", out='"x"')), "Two lines write"),
        (sheet(line("a", "*.obj", out='"../x"')), "A folder"),
        (sheet(line("a", from_='["b"]'), line("b", from_='["a"]')), "circle: a → b → a"),
        (sheet(line("a", from_='["z"]')), "no line “z”"), (sheet(line("a", "*.obj", '{ do = "fly" }')), "does “fly”"),
        (sheet(line("a", "*.obj", '{ do = "pack", preset = "r" }')), "no preset “r”"),
        (sheet(line("a", "*.obj", '{ do = "pack", size = { a = 1 } }')), "size ="),
        (sheet(line("a", "*.obj", '{ do = "pack", out = "x" }')), "A setting “out”"),
        (sheet(line("a", "*.obj", hold="3")), "hold = 3"), (sheet(line("a", "*.obj", wings="3")), "“wings”"),
    ],
)  # fmt: skip
def test_what_is_written_wrong_is_told(text, what):
    with pytest.raises(SheetError, match=what.replace("[", r"\[")):
        read_sheet("s.toml", text.encode())
    with pytest.raises(SheetError, match="UTF-8"):
        read_sheet("s.toml", b"\xff\xfe\xff")


def test_a_setting_that_there_is_none_of_is_told_before_anything_runs(folder):
    for steps, what in (
        ('{ do = "pack", wings = 2 }', "no setting “wings”"), ('{ do = "pack", size = "wide" }', "cannot be used for size"),
        ('{ do = "pack", size = [1, 2] }', "Give 2048 or 2048x1024"), ('{ do = "pack", mirror = 3 }', "true or false"),
        ('{ do = "check", report = "../x.html" }', "report ="),
    ):  # fmt: skip
        folder.write(s_dot_toml=sheet(line("a", "*.obj", steps)), a_dot_obj=quad())
        code, answer = folder.run()
        assert code == 2 and what in f"{answer['error']['what']} {answer['error']['fix']}", steps


@pytest.mark.slow
def test_what_is_current_is_not_done_and_what_changed_says_why(folder):
    text = sheet(
        line("plates", "in/*.obj", out='"out"'), line("sum", from_='["plates"]', out='"sum"')
    )
    folder.write(s_dot_toml=text, in__a_dot_obj=quad(), in__b_dot_obj=quad(2.0, name="Slab"))
    code, rows = folder.run()
    assert code == 0 and {r["state"] for r in rows.values()} == {"done"}
    assert sorted(rows["plates"]["files"]) == ["a.obj", "b.obj"]
    first = (folder.root / "out/a.obj").read_bytes()
    code, rows = folder.run()
    assert {r["state"] for r in rows.values()} == {"current"} and not any(
        r["ran"] for r in rows.values()
    )
    # UVs of one object.
    folder.write(in__b_dot_obj=quad(2.0, 0.3, "Slab"))
    code, rows = folder.run("--dry-run")
    assert rows["plates"]["because"] == ["Slab's UVs have changed"]
    assert rows["sum"]["because"] == ["“plates” is out of date"] and not rows["sum"]["ran"]
    assert folder.done() == {"plates", "sum"}
    # Back: its result is still there.
    folder.write(in__b_dot_obj=quad(2.0, name="Slab"))
    code, rows = folder.run()
    assert [s["cached"] for s in rows["plates"]["steps"]] == [True] and rows["plates"][
        "state"
    ] == "done"
    assert (folder.root / "out/a.obj").read_bytes() == first
    # Another name: nothing is computed, and the result is called so.
    (folder.root / "in/a.obj").rename(folder.root / "in/z.obj")
    assert folder.done() == set()
    assert (folder.root / "out/z.obj").read_bytes() == first and not (
        folder.root / "out/a.obj"
    ).exists()
    # Dates say nothing.
    os.utime(folder.root / "in/z.obj", (1, 1))
    assert folder.run()[1]["plates"]["state"] == "current"
    folder.write(in__new_dot_obj=quad(3.0, name="New"))
    (folder.root / "in/b.obj").unlink()
    because = folder.run("--dry-run")[1]["plates"]["because"]
    assert "in/new.obj is new" in because and "in/b.obj is gone" in because


@pytest.mark.slow
def test_settings_pictures_and_files_aside_are_told_apart(folder):
    head = "[presets.house]\npadding = 8\n"
    steps = '{ do = "pack", preset = "house", size = 256, effort = "quick" }, { do = "check", rules = "rules.json", padding = 0 }'
    folder.write(
        s_dot_toml=sheet(line("a", "in/*.obj", steps), head=head), in__a_dot_obj=quad(mtl="a.mtl"),
        in__a_dot_mtl="newmtl wood\nmap_Kd w.png\n", in__w_dot_png="one", rules_dot_json="{}",
    )  # fmt: skip
    assert folder.run()[0] == 0

    def because() -> list[str]:
        return folder.run("--dry-run")[1]["a"]["because"]

    folder.write(in__w_dot_png="two")
    assert because() == ["the texture w.png was replaced"]
    folder.write(in__w_dot_png="one", rules_dot_json='{"mip_level": 0}')
    assert because() == ["rules.json has changed"]
    folder.write(
        rules_dot_json="{}",
        s_dot_toml=sheet(line("a", "in/*.obj", steps), head=head.replace("8", "16")),
    )
    assert because() == ["pack: padding 8 → 16"]
    folder.write(s_dot_toml=sheet(line("a", "in/*.obj", steps.partition(", { do")[0]), head=head))
    assert because() == ["steps pack, check → pack"]
    folder.write(s_dot_toml=sheet(line("a", "in/*.obj", steps), head=head))
    assert folder.run()[1]["a"]["state"] == "current"
    # A comment is no change, nor is another order of settings.
    swapped = steps.replace('preset = "house", size = 256', 'size = 256, preset = "house"')
    folder.write(s_dot_toml="# mine\n" + sheet(line("a", "in/*.obj", swapped), head=head))
    assert folder.run()[1]["a"]["state"] == "current"


@pytest.mark.slow
def test_a_failing_line_leaves_its_result_and_the_others(folder):
    steps = (
        '{ do = "pack", size = 256, effort = "quick" }, { do = "check", padding = %d, margin = 0 }'
    )
    good = line("good", "in/b.obj", out='"good"')
    folder.write(
        s_dot_toml=sheet(line("bad", "in/a.obj", steps % 4, out='"bad"'), good, line("after", from_='["bad"]')),
        in__a_dot_obj=quad() + quad().replace("o Plate\n", "o Twin\n").replace("f 1/1 2/2 3/3 4/4", "f 5/5 6/6 7/7 8/8"), in__b_dot_obj=quad(2.0),
    )  # fmt: skip
    assert folder.run()[0] == 0
    kept = (folder.root / "bad/a.obj").read_bytes()
    text = (folder.root / "s.toml").read_text().replace("padding = 4", "padding = 200")
    (folder.root / "s.toml").write_text(text)
    (folder.root / "in/b.obj").write_text(quad(3.0))
    code, rows = folder.run()
    assert code == 1 and rows["bad"]["state"] == rows["after"]["state"] == "failed"
    assert rows["bad"]["because"][0].startswith("step 2, check:") and rows["after"]["because"] == [
        "“bad” failed"
    ]
    assert rows["good"]["state"] == "done" and (folder.root / "bad/a.obj").read_bytes() == kept
    # It stays failed, and is said so, until something changes.
    assert folder.run("--dry-run")[1]["bad"]["state"] == "failed"
    (folder.root / "in/a.obj").write_text("v nonsense\n")
    code, rows = folder.run()
    assert code == 1 and rows["good"]["state"] == "current"


@pytest.mark.slow
def test_lines_are_forced_held_undone_and_put_back(folder):
    folder.write(s_dot_toml=sheet(line("a", "a.obj", out='"out"')), a_dot_obj=quad())
    folder.run()
    one = (folder.root / "out/a.obj").read_bytes()
    assert folder.done("--force", "a") == {"a"}
    (folder.root / "out/a.obj").write_text("somebody's own")
    assert "changed" in folder.run("--dry-run")[1]["a"]["because"][0]
    # What somebody changed by hand is theirs, until it is said otherwise.
    assert folder.done() == set()
    assert (folder.root / "out/a.obj").read_text() == "somebody's own"
    assert folder.done("--force", "a") == {"a"} and (folder.root / "out/a.obj").read_bytes() == one
    folder.write(a_dot_obj=quad(1.0, 0.2))
    held = (folder.root / "s.toml").read_text() + "hold = true\n"
    (folder.root / "s.toml").write_text(held)
    assert folder.run()[1]["a"]["state"] == "held"
    (folder.root / "s.toml").write_text(held.replace("hold = true", ""))
    folder.run()
    folder.write(a_dot_obj=quad(5.0, 0.2, "Large"))
    folder.run()
    large = (folder.root / "out/a.obj").read_bytes()
    assert folder.run("--undo", "a")[0] == 0
    assert (folder.root / "out/a.obj").read_bytes() != large
    assert folder.run("--only", "nobody")[0] == 2


@pytest.mark.slow
def test_many_edits_do_again_what_brute_force_says(folder):
    """The oracle hashes all that a line can reach, by its own code: contents as a heap, settings, lines before it."""
    rng = random.Random(7)
    files = {f"f{k}": quad(1 + k) for k in range(8)}
    steps = dict.fromkeys("abcdef", 256)
    takes = {"a": (), "b": (), "c": ("a",), "d": ("a", "b"), "e": ("d",), "f": ()}
    own = {
        "a": ["f0", "f1"],
        "b": ["f2"],
        "c": ["f3"],
        "d": [],
        "e": ["f4", "f5"],
        "f": ["f6", "f7"],
    }

    def text() -> str:
        rows = []
        for name in steps:
            inputs = ", ".join(f'"{f}.obj"' for f in own[name])
            from_ = f"[{', '.join(repr(s) for s in takes[name])}]".replace("'", '"')
            rows.append(
                f'name = "{name}"\nfiles = [{inputs}]\nfrom = {from_}\nsteps = [{{ do = "channels", unit = "{steps[name] / 1000}" }}]'
            )
        return sheet(*rows)

    def oracle(name: str) -> str:
        parts = [
            sorted(hashlib.sha256(files[f].encode()).hexdigest() for f in own[name]),
            steps[name],
        ]
        return hashlib.sha256(
            json.dumps([*parts, sorted(oracle(s) for s in takes[name])]).encode()
        ).hexdigest()

    root = folder.root
    last: dict[str, str] = {}
    for turn in range(examples(200)):
        what = rng.choice(
            ["content", "content", "setting", "rename", "touch", "back", "order", "none"]
        )
        if what == "content":
            files[rng.choice(list(files))] = quad(rng.randrange(1, 40))
        elif what == "setting":
            steps[rng.choice("abcdef")] = rng.choice([128, 256, 512])
        elif what == "rename":
            old = rng.choice(list(files))
            new = f"r{turn}"
            files[new] = files.pop(old)
            (root / f"{old}.obj").unlink(missing_ok=True)
            own = {name: [new if f == old else f for f in rows] for name, rows in own.items()}
        elif what == "order":
            for rows in own.values():
                rng.shuffle(rows)
        for name, data in files.items():
            path = root / f"{name}.obj"
            if not path.exists() or path.read_text() != data:
                path.write_text(data)
            if what == "touch":
                os.utime(path)
        (root / "s.toml").write_text(text())
        now = read_sheet("s.toml", text().encode())
        store = Store(root, "s.toml")
        states = survey(now, store)
        wanted = {name for name in steps if last.get(name) != oracle(name)}
        found = {
            name for name, state in states.items()
            if state.state == STALE and state.because != ["files have other names"]
        }  # fmt: skip
        assert found == wanted, (turn, what, {n: states[n].because for n in found ^ wanted})
        run_sheet(now, store, states, list(steps), 1, lambda said: None)
        store.save()
        last = {name: oracle(name) for name in steps}


@pytest.mark.slow
def test_an_interrupted_run_goes_on_and_gives_the_same_bytes(folder, tmp_path_factory):
    steps = '{ do = "pack", size = 256, effort = "quick" }, { do = "textures", kinds = ["checker", "id"] }'
    lines = [line(f"l{k}", f"in/{k}.obj", steps, out=f'"out/{k}"') for k in range(4)]
    files = {f"in__{k}_dot_obj": quad(1 + k) for k in range(4)}
    folder.write(s_dot_toml=sheet(*lines, line("all", from_='["l0", "l1"]', out='"all"')), **files)
    rng = random.Random(3)
    command = [
        sys.executable,
        "-m",
        "quilt_cli.main",
        "run",
        str(folder.root / "s.toml"),
        "--jobs",
        "2",
    ]
    for _ in range(KILLS):
        running = subprocess.Popen(
            command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
        )
        time.sleep(rng.uniform(0.5, 4.0))
        os.killpg(running.pid, signal.SIGKILL)
        running.wait()
    code, rows = folder.run()
    assert code == 0 and {r["state"] for r in rows.values()} <= {"done", "current"}
    other = Folder(tmp_path_factory.mktemp("whole"), folder.capsys)
    other.write(s_dot_toml=(folder.root / "s.toml").read_text(), **files)
    assert other.run()[0] == 0
    for one in ("out", "all"):
        ours = {
            p.relative_to(folder.root): p.read_bytes()
            for p in (folder.root / one).rglob("*")
            if p.is_file()
        }
        theirs = {
            p.relative_to(other.root): p.read_bytes()
            for p in (other.root / one).rglob("*")
            if p.is_file()
        }
        assert ours == theirs and ours


@pytest.mark.slow
def test_a_held_line_feeds_what_it_made_last(folder):
    text = sheet(line("a", "a.obj", out='"a"', hold="false"), line("b", from_='["a"]', out='"b"'))
    folder.write(s_dot_toml=text, a_dot_obj=quad())
    assert folder.run()[0] == 0
    first = (folder.root / "b/a.obj").read_bytes()
    held = text.replace("hold = false", "hold = true")
    # What comes in is another, and the held line's kept result stays what the other one takes.
    folder.write(s_dot_toml=held, a_dot_obj=quad(7.0))
    code, rows = folder.run("--force", "b")
    assert code == 0 and rows["a"]["state"] == "held" and rows["b"]["state"] == "done"
    assert (folder.root / "b/a.obj").read_bytes() == first
    # One that never made anything is a word, and no empty run.
    folder.write(
        s_dot_toml=held.replace('"a"', '"fresh"').replace("“a”", "“fresh”"), a_dot_obj=quad()
    )
    code, rows = folder.run()
    assert code == 1 and "held and has not run yet" in rows["b"]["because"][0]


@pytest.mark.slow
def test_a_kept_result_that_is_gone_is_made_again_for_those_that_take_it(folder):
    text = sheet(line("a", "a.obj"), line("b", from_='["a"]', out='"b"'))
    folder.write(s_dot_toml=text, a_dot_obj=quad())
    assert folder.run()[0] == 0
    before = (folder.root / "b/a.obj").read_bytes()
    shutil.rmtree(folder.root / ".quilt-run" / "results")
    (folder.root / "b/a.obj").unlink()
    assert folder.done() == {"a", "b"} and (folder.root / "b/a.obj").read_bytes() == before


def test_results_that_nothing_refers_to_are_cleared_away(folder):
    folder.write(s_dot_toml=sheet(line("a", "a.obj")), a_dot_obj=quad())
    folder.run()
    results = folder.root / ".quilt-run" / "results"
    (own,) = results.iterdir()
    stray = results / "stray"
    stray.mkdir()
    for old in (own, stray):
        os.utime(old, (1, 1))
    folder.run()
    assert [path.name for path in results.iterdir()] == [own.name]


def test_two_runs_at_once_are_refused(folder):
    folder.write(s_dot_toml=sheet(line("a", "a.obj")), a_dot_obj=quad())
    with Store(folder.root, "s.toml").alone():
        code, answer = folder.run()
    assert code == 2 and "Another run" in answer["error"]["what"]
