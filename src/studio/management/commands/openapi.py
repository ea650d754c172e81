"""The API's description, from which the front end's client is made."""

import json
from typing import Any

from django.core.management.base import BaseCommand

from studio.api import api


class Command(BaseCommand):
    """Print the OpenAPI document."""

    help = "Print the OpenAPI document of the API as JSON."

    def handle(self, *args: Any, **options: Any) -> None:
        """Print it with sorted keys, so that a change shows as a change."""
        self.stdout.write(json.dumps(api.get_openapi_schema(), indent=1, sort_keys=True, default=str))
