"""Settings of a test run: data of its own, and jobs run at once without a worker."""

import os
import tempfile

os.environ["QUILT_DATA_DIR"] = tempfile.mkdtemp(prefix="quilt-tests-")
os.environ["QUILT_IMMEDIATE_JOBS"] = "1"

from quilt_site.settings import *  # noqa: F403

EXPLAIN_PACKS = False
ALLOWED_HOSTS = [*ALLOWED_HOSTS, "testserver"]  # noqa: F405
# Passwords of tests guard nothing; the hasher that guards real ones is slow on purpose.
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher", *PASSWORD_HASHERS]  # noqa: F405
