"""House tolerances have versions, as house rules have."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def first_versions(apps, schema):
    versions = apps.get_model("projects", "TolerancesVersion").objects
    for project in apps.get_model("projects", "Project").objects.exclude(tolerances_json={}):
        versions.create(project=project, number=1, document_json=project.tolerances_json, what="As they were")


class Migration(migrations.Migration):
    dependencies = [
        ("projects", "0003_arrivals"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RenameField("RulesVersion", "rules_json", "document_json"),
        migrations.CreateModel(
            name="TolerancesVersion",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.IntegerField()),
                ("document_json", models.JSONField()),
                ("what", models.CharField(max_length=300)),
                ("at", models.DateTimeField(auto_now_add=True)),
                (
                    "by",
                    models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, to=settings.AUTH_USER_MODEL),
                ),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="tolerances_versions", to="projects.project"
                    ),
                ),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=["project", "number"], name="one_tolerances_version_per_number")]
            },
        ),
        migrations.RunPython(first_versions, migrations.RunPython.noop),
        migrations.RemoveField("Project", "tolerances_json"),
    ]
