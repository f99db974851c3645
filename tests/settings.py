"""Settings of the tests: a database file of their own, and no instruments unless asked for."""

import os
import tempfile

os.environ["GALENA_DATA"] = tempfile.mkdtemp(prefix="galena-tests-")
os.environ["GALENA_STAND_INS"] = ""
os.environ.pop("GALENA_DEMO", None)
# Playwright's calls run inside an event loop; the tests around them use the database as ever.
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"

from galena.config.settings import *  # noqa: F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
