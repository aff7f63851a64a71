"""Tests. What a person's packages are kept in is a folder of each run, so that no run finds what another left."""

import atexit
import os
import tempfile

if "XDG_CACHE_HOME" not in os.environ:
    _cache = tempfile.TemporaryDirectory(prefix="nexorem-cache-")
    atexit.register(_cache.cleanup)
    os.environ["XDG_CACHE_HOME"] = _cache.name
