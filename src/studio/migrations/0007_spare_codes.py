"""Spare codes of a second step are kept as hashes."""

from typing import Any

from django.db import migrations

from studio.second_step import kept

PLAIN = 8
"""Characters of a code that is kept as it was shown."""


def hashed(apps: Any, schema_editor: Any) -> None:
    """Replace the codes that are there."""
    for token in apps.get_model("otp_static", "StaticToken").objects.all():
        if len(token.token) == PLAIN:
            token.token = kept(token.token)
            token.save(update_fields=["token"])


class Migration(migrations.Migration):
    """One step."""

    dependencies = [("studio", "0006_bands_lean"), ("otp_static", "0001_initial")]

    operations = [migrations.RunPython(hashed, migrations.RunPython.noop)]
