"""Versions of masters say what and when in the words of all versioned documents."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("masters", "0003_removed")]

    operations = [
        migrations.RenameField("masterversion", "note", "what"),
        migrations.RenameField("masterversion", "published", "at"),
        migrations.AlterField("masterversion", "what", models.CharField(max_length=300)),
    ]
