"""Using a set outside its terms is a finding (scanned-library downloads are often licensed for one engine or project only)."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from texelcore.surface.findings import Finding
from texelcore.surface.origin import Origin


def check_origin(origin: Origin | None, subject: str, project: str, target: str, today: date) -> Iterator[Finding]:
    """Whether a set may be used in `project` (its slug), for `target` (its name), on this day."""
    licence = origin.licence if origin else None
    if licence is None:
        return
    if licence.projects is not None and project not in licence.projects:
        allowed = ", ".join(licence.projects) or "no project"
        yield _finding(subject, f"Its licence, {licence.name}, covers {allowed}; this project is {project}.")
    if licence.targets is not None and target not in licence.targets:
        allowed = ", ".join(licence.targets) or "no target"
        yield _finding(subject, f"Its licence, {licence.name}, covers {allowed}; it is prepared for {target}.")
    if licence.until is not None and today > licence.until:
        yield _finding(subject, f"Its licence, {licence.name}, ended on {licence.until.isoformat()}.")


def _finding(subject: str, message: str) -> Finding:
    return Finding(
        rule="outside-licence",
        severity="error",
        stage="sorted",
        subject=subject,
        message=message,
        way_out="Take another material, or have the licence widened and change it in the set's origin.",
    )
