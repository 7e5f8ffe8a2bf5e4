"""A hand-off has one form or several: what was chosen of its one recipe goes into a list."""

from typing import Any

from django.db import migrations, models


def _into_forms(apps: Any, schema_editor: Any) -> None:
    handoffs = apps.get_model("handoffs", "HandOff")
    for one in handoffs.objects.all().iterator():
        one.forms = [
            {
                "recipe": one.recipe,
                "options": one.options,
                "passes": one.passes,
                "folder": "",
                "written": one.written,
                "files": one.files,
                "worst": one.worst,
            }
        ]
        one.save(update_fields=["forms"])


class Migration(migrations.Migration):
    dependencies = [("handoffs", "0003_handoff_layers_handoff_options_handoff_passes")]

    operations = [
        migrations.AddField("handoff", "forms", models.JSONField(default=list)),
        migrations.RunPython(_into_forms, migrations.RunPython.noop),
        *(migrations.RemoveField("handoff", name) for name in ("recipe", "options", "passes", "written", "worst")),
    ]
