"""The targets that ship become versions of the studio, and each project takes those that it was made with."""

from typing import Any

from django.db import migrations

from texelcore.targets.library import shipped_versions


def forward(apps: Any, schema_editor: Any) -> None:
    StudioTarget = apps.get_model("library", "StudioTarget")
    TargetVersion = apps.get_model("library", "TargetVersion")
    ProjectTarget = apps.get_model("library", "ProjectTarget")
    newest = {}
    for document in shipped_versions().values():
        target, _ = StudioTarget.objects.get_or_create(name=document.name, defaults={"title": document.title})
        said = {"document_json": document.model_dump(mode="json"), "what": "Shipped"}
        newest[document.name], _ = TargetVersion.objects.get_or_create(target=target, number=document.version, defaults=said)
    TextureSet = apps.get_model("sets", "TextureSet")
    for project in apps.get_model("projects", "Project").objects.all():
        own = set(TextureSet.objects.filter(project=project).exclude(target="").values_list("target", flat=True))
        for name in {project.target, *own} & newest.keys():
            said = {"version": newest[name], "for_all": name == project.target}
            ProjectTarget.objects.get_or_create(project=project, name=name, defaults=said)


class Migration(migrations.Migration):
    dependencies = [("library", "0001_initial"), ("sets", "0009_folders"), ("projects", "0006_saved_views")]

    operations = [migrations.RunPython(forward, migrations.RunPython.noop)]
