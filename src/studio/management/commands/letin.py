"""For somebody who cannot sign in any more: ``python -m studio.manage letin EMAIL``."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from studio import second_step
from studio.links import link
from studio.models import User


class Command(BaseCommand):
    """Print a link for a new password; take the second step away if the authenticator is lost too."""

    help = "Print a link with which somebody sets a new password within an hour."

    def add_arguments(self, parser: CommandParser) -> None:
        """Who, and how far."""
        parser.add_argument("email")
        parser.add_argument("--page", default="http://127.0.0.1:8800", help="the address of the house")
        parser.add_argument("--one-step", action="store_true", help="sign in without an authenticator's code again")

    def handle(self, *args: Any, **options: Any) -> None:
        """Print it."""
        user = User.objects.filter(username=options["email"].strip().lower()).first()
        if user is None:
            raise CommandError("There is no account with this e-mail address.")
        if options["one_step"]:
            second_step.turn_off(user)
        self.stdout.write(link(user, f"{options['page'].rstrip('/')}/new-password"))
