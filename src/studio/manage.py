"""Django's commands: ``python -m studio.manage COMMAND``."""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    if "NEEDLEPOINT_DB_PORT" not in os.environ:
        from studio.cluster import Cluster
        from studio.house import VAR

        os.environ.update(Cluster(VAR / "pg").environment())
    execute_from_command_line(sys.argv)
