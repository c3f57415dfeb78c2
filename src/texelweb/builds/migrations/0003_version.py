"""What was made points at the version of its target: first beside its name."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("builds", "0002_proof"), ("library", "0002_shipped")]

    operations = [
        migrations.AddField(
            "build",
            "version",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.PROTECT, related_name="builds", to="library.targetversion"
            ),
        )
    ]
