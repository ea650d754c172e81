"""What a start does once the database is there: work that a killed worker left, and the demo."""

from typing import Any

from asgiref.sync import async_to_sync
from django.core.management.base import BaseCommand

from studio.carrying import queue_lost_carrying
from studio.demo import load
from studio.jobs import queue_lost, requeue
from studio.storage import sweep, told


class Command(BaseCommand):
    """Requeue stalled jobs and load the demo sitting if it is not there."""

    help = "Requeue jobs of a worker that was killed, and load the demo sitting once."

    def handle(self, *args: Any, **options: Any) -> None:
        """Run it; a second time it changes nothing."""
        async_to_sync(requeue)(0)
        queue_lost()
        queue_lost_carrying()
        if freed := sweep(0):
            self.stdout.write(f"  Removed what belonged to nobody any more: {told(freed)}.")
        load()
