"""Django's commands: ``python -m studio.manage COMMAND``."""

import os
import sys

from django.core.management import execute_from_command_line

from studio.cluster import Cluster
from studio.house import VAR

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    cluster = Cluster(VAR / "pg")
    if "NEEDLEPOINT_DB_PORT" not in os.environ and cluster.port_file.exists():
        os.environ.update(cluster.environment())
    execute_from_command_line(sys.argv)
