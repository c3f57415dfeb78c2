"""Each gets the version of its target that there was until now; a target that nobody knows has none, and its rows go."""

from typing import Any

from django.db import migrations


def forward(apps: Any, schema_editor: Any) -> None:
    rows = apps.get_model("builds", "Build").objects
    for version in apps.get_model("library", "TargetVersion").objects.select_related("target").order_by("number"):
        rows.filter(target=version.target.name).update(version=version)
    rows.filter(version=None).delete()


def backward(apps: Any, schema_editor: Any) -> None:
    rows = apps.get_model("builds", "Build").objects
    for version in apps.get_model("library", "TargetVersion").objects.select_related("target"):
        rows.filter(version=version).update(target=version.target.name)


class Migration(migrations.Migration):
    dependencies = [("builds", "0003_version")]

    operations = [migrations.RunPython(forward, backward)]
