"""Loaded before Django's settings: the tests' own folder and their own database server."""

import os
import shutil
from pathlib import Path

import pytest

# Two runs beside each other (./test does so) each have a folder and a server of their own.
VAR = Path(__file__).resolve().parents[1] / "var" / os.environ.get("NEEDLEPOINT_TESTS", "test")
os.environ["NEEDLEPOINT_VAR"] = str(VAR)
os.environ["NEEDLEPOINT_WARM"] = "0"
# Jobs run within the test; the process that decodes has a test of its own.
os.environ["NEEDLEPOINT_APART"] = "0"
os.environ["DJANGO_SETTINGS_MODULE"] = "studio.settings"
for leftover in ("media", "levels", "tmp"):
    shutil.rmtree(VAR / leftover, ignore_errors=True)

from studio.cluster import Cluster  # noqa: E402

_cluster = Cluster(VAR / "pg", makes=True)
_cluster.ensure()
os.environ.update(_cluster.environment())


def pytest_unconfigure(config: pytest.Config) -> None:
    """Leave no server behind."""
    _cluster.stop()
