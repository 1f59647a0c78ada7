"""The history on 10,000 islands: edits through the API, what they cost in the database, and
opening."""

from __future__ import annotations

import json
import os
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

ISLANDS, EDITS, STEPS = 10_000, 1000, 5000


def _set_up(folder: str) -> None:
    os.environ |= {
        "QUILT_DATA_DIR": folder,
        "QUILT_IMMEDIATE_JOBS": "0",
        "DJANGO_SETTINGS_MODULE": "quilt_site.settings",
    }
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)


def grid_obj(islands: int, objects: int = 20) -> bytes:
    """Quads of one metre on a grid of UVs, in some objects."""
    across = int(np.ceil(np.sqrt(islands)))
    lines = []
    for i in range(islands):
        if i % (islands // objects) == 0:
            lines.append(f"o part {i * objects // islands + 1}")
        x, y = i % across, i // across
        size = 0.4 + 0.4 * ((i * 7919) % 97) / 97
        for u, v in ((0, 0), (1, 0), (1, 1), (0, 1)):
            lines.append(f"v {x * 2 + u} {y * 2 + v} 0")
            lines.append(
                f"vt {(x + 0.1 + size * u) / across:.6f} {(y + 0.1 + size * v) / across:.6f}"
            )
        a = 4 * i + 1
        lines.append("f " + " ".join(f"{k}/{k}" for k in range(a, a + 4)))
    return "\n".join(lines).encode()


def _times(count: int, act: Callable[[int], object]) -> np.ndarray:
    out = []
    for k in range(count):
        started = time.perf_counter()
        act(k)
        out.append(time.perf_counter() - started)
    return np.array(out)


def lines() -> Iterator[str]:
    """Figures as lines of text."""
    with tempfile.TemporaryDirectory() as folder:
        _set_up(folder)
        from django.test import Client

        from studio.actions.gather.gather_files import gather_files
        from studio.actions.history.change import edit_settings
        from studio.actions.project.create_project import create_project
        from studio.models import Change, Project

        project = create_project("bench")
        gather_files(project.pk, {"many.obj": grid_obj(ISLANDS)})
        client = Client(headers={"origin": "http://127.0.0.1"}, SERVER_NAME="127.0.0.1")
        atlas = client.get(f"/api/projects/{project.pk}/").json()["atlases"][0]["id"]
        seen = Project.objects.get(pk=project.pk).head_id
        rng = np.random.default_rng(1)
        base = len(json.dumps({"a": list(range(200_000))}))

        def reference(_: int) -> object:
            return json.loads(json.dumps({"a": list(range(200_000))}))

        unit = float(np.median(_times(9, reference)))
        yield f"history on {ISLANDS:,} islands; the reference writes and reads {base / 1e6:.1f} MB of JSON, {1e3 * unit:.1f} ms"
        state = {"seen": seen}

        def edit(k: int) -> object:
            island = int(rng.integers(ISLANDS))
            body = {
                "change": state["seen"],
                "verb": "move",
                "islands": [island],
                "placements": [
                    [1, 0, float(rng.normal(0, 0.01)), 0, 1, float(rng.normal(0, 0.01))]
                ],
            }
            answer = client.post(
                f"/api/atlases/{atlas}/move/", body, content_type="application/json"
            )
            assert answer.status_code == 200, answer.content
            state["seen"] = answer.json()["change"]
            return answer

        edit(0)
        database = Path(folder) / "studio.sqlite3"
        size = _size(database)
        took = _times(EDITS, edit)
        grown = _size(database) - size
        yield f"  one edit: median {1e3 * np.median(took):.1f} ms, 95 % under {1e3 * np.quantile(took, 0.95):.1f} ms ({np.median(took) / unit:.2f} of the reference)"
        yield f"  {EDITS:,} edits: {grown / 1e6:.2f} MB more in the database, {grown / EDITS:.0f} bytes each"
        from studio.models import Revision
        from studio.state import read_state
        from studio.stored_islands import RECENT

        heads = list(Revision.objects.filter(atlas=atlas).order_by("pk"))
        opened = []
        for revision in rng.choice(len(heads), 30):
            RECENT.forget()
            opened.append(_times(1, lambda _, r=heads[int(revision)]: read_state(r))[0])
        yield f"  opening any step: median {1e3 * np.median(opened):.1f} ms, at most {1e3 * max(opened):.1f} ms"
        head = heads[-1]

        def open_project(_: int) -> object:
            client.get(f"/api/projects/{project.pk}/")
            client.get(f"/api/atlases/{atlas}/")
            client.get(f"/api/revisions/{head.pk}/")
            client.get(f"/api/revisions/{head.pk}/placements/")
            return client.get(f"/api/revisions/{head.pk}/geometry.glb")

        took = _times(5, open_project)
        yield f"  opening the project, all answers of the server: first {took[0]:.2f} s, then {np.median(took[1:]):.2f} s"
        for k in range(STEPS - Change.objects.count()):
            edit_settings(
                project.pk,
                None,
                "house density",
                lambda s, k=k: ({**s, "house_density": 100.0 + k}, str(k)),
            )
        took = _times(5, lambda _: client.get(f"/api/projects/{project.pk}/history/"))
        yield f"  a list of {Change.objects.count():,} steps: {1e3 * np.median(took):.0f} ms ({np.median(took) / unit:.2f} of the reference)"


def _size(database: Path) -> int:
    return sum(path.stat().st_size for path in database.parent.glob("studio.sqlite3*"))


def main() -> None:
    """Print the figures."""
    for line in lines():
        print(line, flush=True)


if __name__ == "__main__":
    main()
