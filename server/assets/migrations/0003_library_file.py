import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("assets", "0002_picture")]

    operations = [
        migrations.CreateModel(
            name="LibraryFile",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("kind", models.CharField(max_length=40)),
                ("sha256", models.CharField(max_length=64)),
                ("file_name", models.CharField(max_length=200)),
                ("facts", models.JSONField(default=dict)),
                ("added_at", models.DateTimeField(auto_now_add=True)),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="files", to="projects.project"
                    ),
                ),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("project", "kind", "sha256"), name="one_file")],
            },
        ),
    ]
