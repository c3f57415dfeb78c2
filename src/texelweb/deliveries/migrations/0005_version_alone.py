"""The version alone says what was made."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("deliveries", "0004_fill_version")]

    operations = [
        migrations.AlterField(
            "delivery",
            "version",
            models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="deliveries", to="library.targetversion"),
        ),
        migrations.RemoveField("delivery", "target"),
    ]
