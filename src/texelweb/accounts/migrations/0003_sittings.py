"""Sessions know whose they are; keys to the depot are encrypted. Everybody signs in once more."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def conceal_keys(apps, schema):
    from texelweb.accounts.secrets import conceal

    for kept in apps.get_model("accounts", "DepotKey").objects.all():
        kept.concealed = conceal(kept.concealed)
        kept.save(update_fields=["concealed"])


class Migration(migrations.Migration):
    dependencies = [
        ("accounts", "0002_token_scope"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Sitting",
            fields=[
                ("session_key", models.CharField(max_length=40, primary_key=True, serialize=False, verbose_name="session key")),
                ("session_data", models.TextField(verbose_name="session data")),
                ("expire_date", models.DateTimeField(db_index=True, verbose_name="expire date")),
                (
                    "user",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="sittings",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={"verbose_name": "session", "verbose_name_plural": "sessions", "abstract": False},
        ),
        # The table of the sessions before these.
        migrations.RunSQL("DROP TABLE IF EXISTS django_session", migrations.RunSQL.noop),
        migrations.RenameField("DepotKey", "key", "concealed"),
        migrations.AlterField("DepotKey", "concealed", models.TextField()),
        migrations.RunPython(conceal_keys, migrations.RunPython.noop),
    ]
