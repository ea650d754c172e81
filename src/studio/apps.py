"""The studio as a Django application."""

from django.apps import AppConfig


class Studio(AppConfig):
    """Accounts, sittings, sheets, views and jobs."""

    name = "studio"
    label = "studio"
