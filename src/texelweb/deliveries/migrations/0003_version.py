"""What was made points at the version of its target: first beside its name."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("deliveries", "0002_zips_in_storage"), ("library", "0002_shipped")]

    operations = [
        migrations.AddField(
            "delivery",
            "version",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.PROTECT, related_name="deliveries", to="library.targetversion"
            ),
        )
    ]
