"""Loaded before Django's settings: the tests' own folder and their own database server.

``pytest -n 3`` runs three workers beside each other: each has a folder, a database and a browser of its own, and all of
them the one server that the run has brought up.
"""

import os
import shutil
from pathlib import Path

import pytest

WORKER = os.environ.get("PYTEST_XDIST_WORKER", "")
RUN = Path(__file__).resolve().parents[1] / "var" / os.environ.get("NEEDLEPOINT_TESTS", "test")
VAR = RUN / WORKER if WORKER else RUN
os.environ["NEEDLEPOINT_VAR"] = str(VAR)
os.environ["NEEDLEPOINT_WARM"] = "0"
# Jobs run within the test; the process that decodes has a test of its own.
os.environ["NEEDLEPOINT_APART"] = "0"
os.environ["DJANGO_SETTINGS_MODULE"] = "studio.settings"
for leftover in ("media", "levels", "tmp"):
    shutil.rmtree(VAR / leftover, ignore_errors=True)

from studio.cluster import Cluster  # noqa: E402

_cluster = None
if not WORKER:
    _cluster = Cluster(RUN / "pg", makes=True)
    _cluster.ensure()
    os.environ.update(_cluster.environment())


def pytest_unconfigure(config: pytest.Config) -> None:
    """Leave no server behind."""
    if _cluster is not None:
        _cluster.stop()
