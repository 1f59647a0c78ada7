"""Do the tests notice? Makes small random faults in the core, one at a time, and runs the tests
that are near.

Usage: python -m benchmarks.faults [--count 63] [--seed 1] [--only quilt_core/check]

Each fault is made in a copy of the project: a comparison that is off by its edge, a sign, an
operator, a constant, a condition turned round. Printed is each fault that no test noticed, and the
share of those that were. Some faults change nothing that matters (a budget, a step of progress):
those are for a reader to judge.
"""

from __future__ import annotations

import argparse
import ast
import random
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parents[1]
PACKAGES = {
    "quilt_core/measure": (
        "test_density",
        "test_measure",
        "test_measure_again",
        "test_stretch",
        "test_nasty",
        "test_grid",
        "test_islands",
        "test_examples",
        "test_prove",
    ),
    "quilt_core/scene": (
        "test_islands",
        "test_density",
        "test_obj",
        "test_proportion",
        "test_nasty",
        "test_gltf",
        "test_round_trip",
        "test_examples",
        "test_prove",
        "test_controls",
    ),
    "quilt_core/check": (
        "test_prove",
        "test_report",
        "test_nasty",
        "test_stretch",
        "test_examples",
    ),
    "quilt_core/formats": (
        "test_obj",
        "test_gltf",
        "test_round_trip",
        "test_proportion",
        "test_examples",
        "test_fuzz",
    ),
    "quilt_core/pack/plan.py": ("test_plan",),
    "quilt_core/textures": ("test_carry", "test_merge"),
}
"""Where faults are made, and the tests that are run for them."""
SECONDS = 400
LANES = 2
COMPARISONS = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
}
OPERATORS = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.BitAnd: ast.BitOr,
    ast.BitOr: ast.BitAnd,
}


class _Fault(ast.NodeTransformer):
    """Changes the n-th place that can be changed; `said` tells what was done."""

    def __init__(self, number: int) -> None:
        self.number, self.at, self.said = number, -1, ""

    def _mine(self, node: ast.AST, what: str) -> bool:
        self.at += 1
        if self.at != self.number:
            return False
        self.said = f"line {getattr(node, 'lineno', 0)}: {what}"
        return True

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        self.generic_visit(node)
        for k, op in enumerate(node.ops):
            other = COMPARISONS.get(type(op))
            if other and self._mine(node, f"{type(op).__name__} to {other.__name__}"):
                node.ops[k] = other()
        return node

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:
        self.generic_visit(node)
        other = OPERATORS.get(type(node.op))
        if (
            other
            and not _is_text(node)
            and self._mine(node, f"{type(node.op).__name__} to {other.__name__}")
        ):
            node.op = other()
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.op, ast.USub | ast.Not) and self._mine(
            node, f"{type(node.op).__name__} dropped"
        ):
            return node.operand
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.AST:
        self.generic_visit(node)
        if self._mine(node, "and/or exchanged"):
            node.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
        return node

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        if type(node.value) in (int, float) and self._mine(node, f"{node.value} made larger"):
            node.value = node.value + 1 if isinstance(node.value, int) else node.value * 1.5 + 1e-12
        return node

    # Notes for readers and type checkers, and the texts of errors, are left alone.
    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        if node.value is not None:
            node.value = self.visit(node.value)
        return node

    def visit_Raise(self, node: ast.Raise) -> ast.AST:
        return node

    def visit_arg(self, node: ast.arg) -> ast.AST:
        return node

    def visit_JoinedStr(self, node: ast.JoinedStr) -> ast.AST:
        return node


def _is_text(node: ast.BinOp) -> bool:
    return any(
        isinstance(n, ast.JoinedStr) or (isinstance(n, ast.Constant) and isinstance(n.value, str))
        for n in ast.walk(node)
    )


def _with_fault(path: Path, number: int) -> tuple[str, str]:
    maker = _Fault(number)
    tree = maker.visit(ast.parse(path.read_text()))
    return ast.unparse(ast.fix_missing_locations(tree)), maker.said


def _places(path: Path) -> int:
    maker = _Fault(-2)
    maker.visit(ast.parse(path.read_text()))
    return maker.at + 1


def _copy() -> Path:
    folder = Path(tempfile.mkdtemp(prefix="faults-"))
    for name in ("quilt_core", "quilt_cli", "tests", "demo", "benchmarks", "studio", "quilt_site"):
        shutil.copytree(ROOT / name, folder / name)
    for name in ("pyproject.toml", "manage.py"):
        shutil.copy(ROOT / name, folder / name)
    return folder


def _noticed(folder: Path, tests: tuple[str, ...]) -> bool:
    names = [
        f"tests/core/{name}.py" for name in tests if (folder / f"tests/core/{name}.py").exists()
    ]
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *names]
    try:
        return (
            subprocess.run(command, cwd=folder, capture_output=True, timeout=SECONDS).returncode
            != 0
        )
    except subprocess.TimeoutExpired:
        return True


def _try(
    folders: Queue[Path], relative: str, number: int, tests: tuple[str, ...]
) -> tuple[bool, str]:
    folder = folders.get()
    path = folder / relative
    try:
        text, said = _with_fault(path, number)
        path.write_text(text)
        if "_loops" in relative or "_grid" in relative:
            # Compiled code does not notice that a function it has taken in has changed.
            for stale in (folder / "quilt_core").rglob("*.nb?"):
                stale.unlink()
        return _noticed(folder, tests), f"{relative} {said}"
    finally:
        shutil.copy2(ROOT / relative, path)
        folders.put(folder)


def main() -> None:
    """Print the faults that were not noticed."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=63)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default="")
    options = parser.parse_args()
    rng = random.Random(options.seed)
    places: list[tuple[str, int, tuple[str, ...]]] = []
    for package, tests in PACKAGES.items():
        root = ROOT / package
        for path in [root] if root.is_file() else sorted(root.glob("*.py")):
            relative = str(path.relative_to(ROOT))
            if relative.startswith(options.only):
                places += [(relative, n, tests) for n in range(_places(path))]
    chosen = rng.sample(places, min(options.count, len(places)))
    folders: Queue[Path] = Queue()
    for _ in range(LANES):
        folders.put(_copy())
    noticed = 0
    with ThreadPoolExecutor(LANES) as pool:
        tasks = [pool.submit(_try, folders, *place) for place in chosen]
        for done, task in enumerate(tasks, start=1):
            was, what = task.result()
            noticed += was
            if not was:
                print(f"not noticed: {what}", flush=True)
            print(f"{noticed} of {done} noticed", file=sys.stderr, flush=True)
    print(f"{noticed} of {len(chosen)} faults noticed, {noticed / max(len(chosen), 1):.0%}")
    while not folders.empty():
        shutil.rmtree(folders.get(), ignore_errors=True)


if __name__ == "__main__":
    main()
