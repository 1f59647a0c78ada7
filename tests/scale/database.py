"""What the database of the engines holds, asked beside the application."""

from __future__ import annotations

from typing import Any

import psycopg


def rows_of(address: str, question: str, values: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """What the database says."""
    with psycopg.connect(address.replace("postgres://", "postgresql://")) as connection:
        return list(connection.execute(question, values).fetchall())  # type: ignore[arg-type]


def changes_of(address: str) -> set[int]:
    """Ids of all steps."""
    return {pk for (pk,) in rows_of(address, "SELECT id FROM studio_change")}


def open_jobs(address: str) -> list[tuple[Any, ...]]:
    """Id, kind, state and message of what is not over."""
    question = (
        "SELECT id, kind, state, message FROM studio_job WHERE state IN ('queued', 'running')"
    )
    return rows_of(address, question)


def jobs_of(address: str, jobs: list[int]) -> list[tuple[str, int]]:
    """Worker and attempts of some jobs, in their order."""
    question = "SELECT id, worker, attempts FROM studio_job WHERE id = ANY(%s)"
    rows = rows_of(address, question, (jobs,))
    found = {pk: (worker, attempts) for pk, worker, attempts in rows}
    return [found[job] for job in jobs]


def parts_of(address: str, job: int, itself: bool = False) -> list[tuple[int, str, str, int]]:
    """Number, state, worker and attempts of a job's parts, or of the job."""
    column = "id" if itself else "parent_id"
    question = (
        f"SELECT part, state, worker, attempts FROM studio_job WHERE {column} = %s ORDER BY part"
    )
    return rows_of(address, question, (job,))
