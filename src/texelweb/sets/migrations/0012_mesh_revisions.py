"""A set's own mesh has revisions. What sets show, and what the record can bring back, becomes their first ones."""

from typing import Any

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models
from django.db.models import Q


def keep_known(apps: Any, _: Any) -> None:
    sets, blobs, revisions, steps = (
        apps.get_model(*which)
        for which in (("sets", "TextureSet"), ("storage", "Blob"), ("sets", "MeshRevision"), ("record", "Step"))
    )
    known: dict[int, dict[tuple[str, str], None]] = {}
    told = steps.objects.filter(Q(before_json__has_key="mesh") | Q(after_json__has_key="mesh"), kind="set").order_by("pk")
    for key, *sides in told.values_list("thing", "before_json__mesh", "after_json__mesh"):
        known.setdefault(int(key), {}).update({(mesh[0], mesh[1]): None for mesh in sides if mesh})
    for key, blob, name in sets.objects.exclude(mesh=None).values_list("pk", "mesh_id", "mesh_name"):
        known.setdefault(key, {})[blob, name] = None
    there = set(sets.objects.filter(pk__in=known).values_list("pk", flat=True))
    kept = set(blobs.objects.filter(pk__in={blob for meshes in known.values() for blob, _ in meshes}).values_list("pk", flat=True))
    for key, meshes in known.items():
        lasting = [(blob, name) for blob, name in meshes if key in there and blob in kept]
        for number, (blob, name) in enumerate(lasting, 1):
            revisions.objects.create(set_id=key, number=number, blob_id=blob, name=name)


class Migration(migrations.Migration):
    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ("sets", "0011_model_mtl"),
        ("record", "0002_record"),
        ("storage", "0001_initial"),
    ]

    operations = [
        migrations.CreateModel(
            name="MeshRevision",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.IntegerField()),
                ("name", models.CharField(max_length=120)),
                ("created", models.DateTimeField(auto_now_add=True)),
                (
                    "blob",
                    models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="+", to="storage.blob"),
                ),
                (
                    "by",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
                (
                    "set",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="meshes", to="sets.textureset"
                    ),
                ),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("set", "number"), name="one_mesh_revision_per_number")],
            },
        ),
        migrations.RunPython(keep_known, migrations.RunPython.noop),
    ]
