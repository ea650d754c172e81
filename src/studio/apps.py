"""The studio as a Django application."""

from typing import Any

from django.apps import AppConfig


class Studio(AppConfig):
    """Accounts, sittings, sheets, views and jobs."""

    name = "studio"
    label = "studio"

    def ready(self) -> None:
        """Write down who comes in, and who could not."""
        from django.contrib.auth import signals

        from studio.logs import doors

        def come(*, request: Any, user: Any, **_: Any) -> None:
            doors(request, "signed in", user.pk)

        def gone(*, request: Any, user: Any, **_: Any) -> None:
            if user is not None:
                doors(request, "signed out", user.pk)

        def refused(*, credentials: Any, request: Any = None, **_: Any) -> None:
            doors(request, "wrong password", credentials.get("username"))

        for signal, receiver in (
            (signals.user_logged_in, come),
            (signals.user_logged_out, gone),
            (signals.user_login_failed, refused),
        ):
            signal.connect(receiver, weak=False, dispatch_uid=receiver.__name__)
