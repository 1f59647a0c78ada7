"""Engines that stand elsewhere, from their addresses: the queue and the storage of files."""

from __future__ import annotations

from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, unquote, urlsplit

from django.core.exceptions import ImproperlyConfigured


def queue(redis_url: str, data_dir: Path, immediate: bool) -> dict[str, Any]:
    """Settings of Huey: a Redis server, or a file of this machine."""
    out: dict[str, Any] = {
        "name": "quilt",
        "huey_class": "huey.RedisHuey" if redis_url else "huey.SqliteHuey",
        "results": False,
        "immediate": immediate,
        "connection": {"url": redis_url} if redis_url else {},
        "consumer": {
            "workers": 2,
            "worker_type": "process",
            "initial_delay": 0.05,
            "max_delay": 0.1,
            "backoff": 1.1,
        },
    }
    if not redis_url:
        out["filename"] = str(data_dir / "queue.sqlite3")
    return out


def storage(address: str) -> dict[str, Any]:
    """Django's storage of an address: none is a folder of this machine.

    Parameters
    ----------
    address : str
        ``s3://KEY:SECRET@host:9000/bucket?tls=0&region=eu-central-1``; without key and secret those of the environment or
        of the machine's role are used, without a host that of the region.

    Examples
    --------
    >>> storage("")["BACKEND"]
    'django.core.files.storage.FileSystemStorage'
    >>> found = storage("s3://me:s%2Fcret@127.0.0.1:9000/quilt?tls=0")["OPTIONS"]
    >>> found["bucket_name"], found["secret_key"], found["endpoint_url"]
    ('quilt', 's/cret', 'http://127.0.0.1:9000')
    """
    if not address:
        return {"BACKEND": "django.core.files.storage.FileSystemStorage"}
    parts = urlsplit(address)
    bucket = parts.path.strip("/")
    if parts.scheme != "s3" or not bucket or "/" in bucket:
        raise ImproperlyConfigured(
            "STORAGE_URL is not of the form s3://KEY:SECRET@host:port/bucket?tls=1&region=…"
        )
    asked = {key: values[-1] for key, values in parse_qs(parts.query).items()}
    options: dict[str, Any] = {
        "bucket_name": bucket,
        "default_acl": None,
        "querystring_auth": False,
        "file_overwrite": True,
    }
    if parts.username:
        options |= {
            "access_key": unquote(parts.username),
            "secret_key": unquote(parts.password or ""),
        }
    if parts.hostname:
        scheme = "http" if asked.get("tls") == "0" else "https"
        port = f":{parts.port}" if parts.port else ""
        options["endpoint_url"] = f"{scheme}://{parts.hostname}{port}"
    if asked.get("region"):
        options["region_name"] = asked["region"]
    return {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": options}
