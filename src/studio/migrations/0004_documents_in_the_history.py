from typing import Any

from django.db import migrations, models


def keep_with_the_head(apps: Any, schema_editor: Any) -> None:
    """What stood in the portrait's row stands with the edit that made it."""
    Portrait = apps.get_model("studio", "Portrait")
    for portrait in Portrait.objects.exclude(head=None).select_related("head").iterator(chunk_size=50):
        portrait.head.document = portrait.document
        portrait.head.since = 0
        portrait.head.save(update_fields=["document", "since"])


class Migration(migrations.Migration):
    dependencies = [("studio", "0003_history")]

    operations = [
        migrations.AddField("edit", "weight", models.PositiveIntegerField(default=0)),
        migrations.AddField("edit", "whole", models.PositiveIntegerField(default=0)),
        migrations.RunPython(keep_with_the_head, migrations.RunPython.noop),
        migrations.RemoveField("portrait", "document"),
    ]
