"""The version alone says what was made."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("builds", "0004_fill_version")]

    operations = [
        migrations.AlterField(
            "build",
            "version",
            models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="builds", to="library.targetversion"),
        ),
        migrations.RemoveField("build", "target"),
    ]
