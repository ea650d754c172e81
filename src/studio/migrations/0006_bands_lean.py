from typing import Any

from django.db import migrations

from retouch.sheet.migrations import leaning


def lean(apps: Any, schema_editor: Any) -> None:
    """Colour bands in all that is kept of sheets, what was done and what undoes it, as format 2 has them."""
    kept = {"Edit": ("operations", "inverse", "document"), "Export": ("document",)}
    for model, fields in kept.items():
        rows = apps.get_model("studio", model).objects.only("pk", *fields)
        for row in rows.iterator(500):
            before = {name: getattr(row, name) for name in fields}
            changed = {name: leaning(value) for name, value in before.items()}
            for name, value in changed.items():
                if isinstance(value, dict) and value.get("version") == 1:
                    changed[name] = {**value, "version": 2}
            stale = [name for name in fields if changed[name] != before[name]]
            for name in stale:
                setattr(row, name, changed[name])
            if stale:
                row.save(update_fields=stale)


class Migration(migrations.Migration):
    dependencies = [("studio", "0005_shares_and_visits")]
    operations = [migrations.RunPython(lean, migrations.RunPython.noop)]
