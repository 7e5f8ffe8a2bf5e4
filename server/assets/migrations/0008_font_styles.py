from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ("assets", "0007_alter_kept_kind"),
    ]

    operations = [
        migrations.AddField(
            model_name="font",
            name="styles",
            field=models.JSONField(default=list),
        ),
    ]
