"""What the database of the engines holds, asked beside the application."""

from __future__ import annotations

import psycopg


def jobs_of(address: str, jobs: list[int]) -> list[tuple[str, int]]:
    """Worker and attempts of some jobs, in their order."""
    with psycopg.connect(address.replace("postgres://", "postgresql://")) as connection:
        rows = connection.execute(
            "SELECT id, worker, attempts FROM studio_job WHERE id = ANY(%s)", (jobs,)
        ).fetchall()
    found = {pk: (worker, attempts) for pk, worker, attempts in rows}
    return [found[job] for job in jobs]


def parts_of(address: str, job: int, itself: bool = False) -> list[tuple[int, str, str, int]]:
    """Number, state, worker and attempts of a job's parts, or of the job."""
    column = "id" if itself else "parent_id"
    with psycopg.connect(address.replace("postgres://", "postgresql://")) as connection:
        rows = connection.execute(
            f"SELECT part, state, worker, attempts FROM studio_job WHERE {column} = %s ORDER BY part",
            [job],
        )
        return list(rows.fetchall())
