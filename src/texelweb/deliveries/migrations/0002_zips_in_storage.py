"""The zips of deliveries lie in storage, no longer beside the folders."""

from pathlib import Path

from django.conf import settings
from django.db import migrations


def move_zips(apps, schema):
    from texelweb.storage.blobs import put_file

    if settings.DELIVERIES is None:
        return
    for delivery in apps.get_model("deliveries", "Delivery").objects.exclude(manifest_json=None).select_related("project"):
        folder = Path(settings.DELIVERIES) / delivery.project.slug / f"{delivery.target}-{delivery.pk.hex[:12]}"
        beside = folder.with_suffix(".zip")
        if beside.is_file():
            put_file(beside, f"deliveries/{delivery.pk.hex}.zip")
            beside.unlink()


class Migration(migrations.Migration):
    dependencies = [("deliveries", "0001_initial")]
    operations = [migrations.RunPython(move_zips, migrations.RunPython.noop)]
