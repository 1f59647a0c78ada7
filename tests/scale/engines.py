"""Start PostgreSQL, Redis and a stand-in for S3 on loopback, in a scratch folder; end them afterwards."""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
MISSING = "{} is missing: run “sudo apt-get install postgresql redis-server”, and try again."


def free_port() -> int:
    """A port that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def wait_for(port: int, seconds: float = 30.0) -> None:
    """Until somebody listens."""
    end = time.monotonic() + seconds
    while True:
        try:
            socket.create_connection(("127.0.0.1", port), timeout=1).close()
            return
        except OSError:
            if time.monotonic() > end:
                raise
            time.sleep(0.1)


def program(name: str) -> str:
    """Where a program of PostgreSQL or Redis lies."""
    found = shutil.which(name)
    if found:
        return found
    rows = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"))
    if not rows:
        sys.exit(MISSING.format(name))
    return str(rows[-1])


class Postgres:
    """A server of its own, which can be killed and started again."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.port = folder / "postgres", free_port()
        self.folder.mkdir()
        # It does not run as root.
        self.user = ["runuser", "-u", "postgres", "--"] if os.geteuid() == 0 else []
        if self.user:
            shutil.chown(self.folder, "postgres")
        self._call("initdb", "-D", str(self.folder / "data"), "-A", "trust", "-U", "quilt")
        self.start()
        self._call("createdb", "-h", "127.0.0.1", "-p", str(self.port), "-U", "quilt", "quilt")

    def _call(self, name: str, *args: str) -> None:
        command = [*self.user, program(name), *args]
        done = subprocess.run(command, cwd=self.folder, capture_output=True, text=True, check=False)
        if done.returncode:
            raise RuntimeError(f"{name}: {done.stdout}{done.stderr}")

    def start(self) -> None:
        """Start it, as it is found."""
        settings = f"-p {self.port} -k {self.folder} -c listen_addresses=127.0.0.1"
        log = str(self.folder / "log")
        command = ["-D", str(self.folder / "data"), "-o", settings, "-l", log, "-w", "start"]
        for tries in range(20):
            # What was killed a moment ago may hold its memory still.
            try:
                self._call("pg_ctl", *command)
                return
            except RuntimeError as error:
                if tries == 19:
                    raise RuntimeError(f"{error} {Path(log).read_text()[-2000:]}") from None
                time.sleep(0.5)

    def kill(self) -> None:
        """As a machine that loses its power."""
        number = int((self.folder / "data" / "postmaster.pid").read_text().split()[0])
        children = subprocess.run(
            ["pgrep", "-P", str(number)], capture_output=True, text=True, check=False
        )
        for pid in [number, *map(int, children.stdout.split())]:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        time.sleep(0.5)

    def stop(self) -> None:
        """End it."""
        with contextlib.suppress(RuntimeError):
            self._call("pg_ctl", "-D", str(self.folder / "data"), "-m", "immediate", "stop")

    @property
    def address(self) -> str:
        """For DATABASE_URL."""
        return f"postgres://quilt@127.0.0.1:{self.port}/quilt"


class Redis:
    """A server of its own, which can be killed and started again."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.port = folder / "redis", free_port()
        self.folder.mkdir()
        self.start()

    def start(self) -> None:
        """Start it, with what it has written before."""
        command = [program("redis-server"), "--port", str(self.port), "--bind", "127.0.0.1", "--dir", str(self.folder),
                   "--appendonly", "yes", "--appendfsync", "always"]  # fmt: skip
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        wait_for(self.port)

    def kill(self) -> None:
        """As a machine that loses its power."""
        self.process.kill()
        self.process.wait()

    stop = kill

    @property
    def address(self) -> str:
        """For REDIS_URL."""
        return f"redis://127.0.0.1:{self.port}/0"


class Storage:
    """A stand-in for S3 that keeps its files in memory."""

    def __init__(self) -> None:
        self.port = free_port()
        server = Path(sys.executable).parent / "moto_server"
        self.process = subprocess.Popen(
            [str(server), "-H", "127.0.0.1", "-p", str(self.port)],
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        wait_for(self.port)
        import boto3

        client = boto3.client(
            "s3", endpoint_url=f"http://127.0.0.1:{self.port}", aws_access_key_id="key",
            aws_secret_access_key="secret", region_name="us-east-1",
        )  # fmt: skip
        client.create_bucket(Bucket="quilt")

    def stop(self) -> None:
        """End it."""
        self.process.kill()
        self.process.wait()

    @property
    def address(self) -> str:
        """For STORAGE_URL."""
        return f"s3://key:secret@127.0.0.1:{self.port}/quilt?tls=0&region=us-east-1"


class Engines:
    """All three."""

    def __init__(self, folder: Path) -> None:
        self.postgres, self.redis, self.storage = Postgres(folder), Redis(folder), Storage()

    @property
    def environment(self) -> dict[str, str]:
        """The three addresses."""
        return {
            "DATABASE_URL": self.postgres.address,
            "REDIS_URL": self.redis.address,
            "STORAGE_URL": self.storage.address,
        }

    def stop(self) -> None:
        """End them."""
        for one in (self.storage, self.redis, self.postgres):
            one.stop()


@contextlib.contextmanager
def engines() -> Iterator[Engines]:
    """All three, as long as they are needed."""
    folder = Path(tempfile.mkdtemp(prefix="quilt-scale-"))
    folder.chmod(0o755)
    made = Engines(folder)
    try:
        yield made
    finally:
        made.stop()
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    # Run a command on the three engines: python -m tests.scale.engines -- pytest tests/studio
    with engines() as here:
        command = sys.argv[sys.argv.index("--") + 1 :]
        sys.exit(
            subprocess.run(command, env={**os.environ, **here.environment}, check=False).returncode
        )
