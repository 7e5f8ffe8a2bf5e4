"""What is kept of elements is a list of them: one, or a group and what stands in it."""

from __future__ import annotations

from django.apps.registry import Apps
from django.db import migrations
from django.db.backends.base.schema import BaseDatabaseSchemaEditor


def listed(apps: Apps, editor: BaseDatabaseSchemaEditor) -> None:
    for kept in apps.get_model("assets", "Kept").objects.filter(kind="element"):
        if isinstance(kept.content, dict):
            kept.content = [{**kept.content, "inside": ""}]
            kept.save(update_fields=["content"])


class Migration(migrations.Migration):
    dependencies = [("assets", "0005_kept")]
    operations = [migrations.RunPython(listed, migrations.RunPython.noop)]
