"""A hand-off may be of some frames of its run."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("handoffs", "0004_forms")]

    operations = [migrations.AddField("handoff", "frame_set", models.TextField(blank=True, default=""))]
