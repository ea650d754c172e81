"""The command ``needlepoint``: what serves and keeps the studio is here, what works on pictures is the core's."""

import argparse
import os
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

from retouch.cli import main as pictures
from retouch.types import PictureError

OURS = ("serve-worker", "serve-web", "backup", "restore")
QUEUES = ("studio", "search")
NICE = 10
"""How nice a worker is at least: as nice as the house's own."""
SAID = f"""
{", ".join(OURS)}: serve the studio on this machine, and keep it; see docs/deploy.md
"""


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="needlepoint", description="Serve the studio on this machine, and keep it.")
    commands = parser.add_subparsers(dest="command", required=True)
    worker = commands.add_parser("serve-worker", help="take long work from the database's queues")
    worker.add_argument("--queues", default=",".join(QUEUES), help=f"which, with commas: {', '.join(QUEUES)}")
    worker.add_argument("--at-once", type=int, default=2, help="how many jobs; searching for faces is best done singly")
    worker.add_argument("--until-done", action="store_true", help="end when nothing is left to do")
    web = commands.add_parser("serve-web", help="answer the pages")
    web.add_argument("--host", default="127.0.0.1")
    web.add_argument("--port", type=int, default=8800)
    for name, said in (("backup", "write database and files into a folder"), ("restore", "bring them back from one")):
        commands.add_parser(name, help=said).add_argument("folder", type=Path)
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command; 0 if it did what was asked, 1 if it could not, 2 if it was not understood."""
    arguments = sys.argv[1:] if arguments is None else list(arguments)
    if not arguments or arguments[0] not in OURS:
        if arguments in (["-h"], ["--help"]):
            print(SAID)
        return pictures(arguments)
    options = _parser().parse_args(arguments)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    try:
        return _does(options)
    except PictureError as error:
        print(f"needlepoint: {error}", file=sys.stderr)
        return 1


def _does(options: argparse.Namespace) -> int:
    _find_database()
    if options.command == "serve-web":
        from studio.house import proxy

        return subprocess.call([
            sys.executable, "-m", "uvicorn", "studio.asgi:application", "--host", options.host, "--port",
            str(options.port), "--lifespan", "off", "--log-level", "warning", "--no-server-header", *proxy(),
        ])  # fmt: skip
    import django

    django.setup()
    if options.command == "serve-worker":
        return _work(options)
    from studio.backup import backup, restore

    many = (backup if options.command == "backup" else restore)(options.folder)
    print(f"{options.command}: the database and {many} files, {options.folder}")
    return 0


def _work(options: argparse.Namespace) -> int:
    from django.core.management import CommandError, call_command
    from django.db import OperationalError

    wanted = [name.strip() for name in options.queues.split(",")]
    unknown = [name for name in wanted if name not in QUEUES]
    if unknown or options.at_once < 1:
        what = (
            f"There is no queue “{unknown[0]}”. There are {' and '.join(QUEUES)}." if unknown else "At least one job."
        )
        raise PictureError(what)
    try:
        call_command("migrate", check_unapplied=True, verbosity=0)
    except SystemExit:
        raise PictureError("The database is of another version: run its migrations first.") from None
    except (CommandError, OperationalError) as error:
        raise PictureError(f"The database cannot be reached: {error}") from error
    # Where a server runs beside it, a hand goes before what it ordered.
    os.setpriority(os.PRIO_PROCESS, 0, max(NICE, os.getpriority(os.PRIO_PROCESS, 0)))
    print(f"needlepoint: working on {' and '.join(wanted)}, {options.at_once} at once", flush=True)
    call_command(
        "procrastinate", "worker", "--queues", ",".join(wanted), "--concurrency", str(options.at_once),
        *(["--one-shot"] if options.until_done else []),
    )  # fmt: skip
    return 0


def _find_database() -> None:
    """The house's own on this machine, unless another is named."""
    from studio.cluster import Cluster
    from studio.house import VAR

    cluster = Cluster(VAR / "pg")
    if "NEEDLEPOINT_DB_PORT" not in os.environ and cluster.port_file.exists():
        os.environ.update(cluster.environment())


if __name__ == "__main__":
    sys.exit(main())
