"""Targets as versioned documents of the studio, and those that projects have taken."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def _key() -> models.BigAutoField:
    return models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")


def _user(related_name: str | None = None) -> models.ForeignKey:
    more = {"related_name": related_name} if related_name else {}
    return models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, to=settings.AUTH_USER_MODEL, **more)


class Migration(migrations.Migration):
    initial = True

    dependencies = [("projects", "0006_saved_views"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]

    operations = [
        migrations.CreateModel(
            name="StudioTarget",
            fields=[
                ("id", _key()),
                ("name", models.SlugField(max_length=48, unique=True)),
                ("title", models.CharField(max_length=80)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("deprecated", models.DateTimeField(null=True)),
                ("by", _user("+")),
                (
                    "successor",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="library.studiotarget",
                    ),
                ),
            ],
        ),
        migrations.CreateModel(
            name="TargetVersion",
            fields=[
                ("id", _key()),
                ("number", models.IntegerField()),
                ("document_json", models.JSONField()),
                ("what", models.CharField(max_length=300)),
                ("at", models.DateTimeField(auto_now_add=True)),
                ("by", _user()),
                (
                    "target",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="versions", to="library.studiotarget"
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(fields=["target", "number"], name="one_target_document_per_version"),
                ],
            },
        ),
        migrations.CreateModel(
            name="TargetDraft",
            fields=[
                ("id", _key()),
                ("document_json", models.JSONField()),
                ("base", models.IntegerField(default=0)),
                ("edit", models.IntegerField(default=1)),
                ("changed", models.DateTimeField(auto_now=True)),
                ("changed_by", _user("+")),
                (
                    "target",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE, related_name="draft", to="library.studiotarget"
                    ),
                ),
            ],
        ),
        migrations.CreateModel(
            name="ProjectTarget",
            fields=[
                ("id", _key()),
                ("name", models.SlugField(max_length=48)),
                ("for_all", models.BooleanField(default=False)),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="targets", to="projects.project"
                    ),
                ),
                (
                    "version",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="pins", to="library.targetversion"
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(fields=["project", "name"], name="one_version_of_a_target_per_project"),
                ],
            },
        ),
    ]
