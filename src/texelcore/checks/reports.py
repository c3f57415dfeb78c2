"""Findings as build machines read them: JUnit XML and SARIF 2.1.0."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from urllib.parse import quote
from xml.etree import ElementTree

from texelcore.surface.documents import Document
from texelcore.surface.findings import Finding, Severity

_LEVELS: dict[Severity, str] = {"error": "error", "warning": "warning", "note": "note"}
_RANKS: dict[Severity, int] = {"error": 0, "warning": 1, "note": 2}
_NOT_XML = re.compile("[^\t\n\r -\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
SARIF_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


class ReportEntry(Document):
    """One thing that was checked: a file by its path, or a set or project by its name, and what was found."""

    name: str
    group: str
    path: str | None = None
    findings: tuple[Finding, ...] = ()


def fails(finding: Finding, fail_on: Severity) -> bool:
    """Whether a finding is as bad as `fail_on` or worse."""
    return _RANKS[finding.severity] <= _RANKS[fail_on]


def junit_xml(checked: Sequence[ReportEntry], fail_on: Severity, title: str) -> str:
    """JUnit's XML as build machines agree on it (common practice; there is no standard): a test case for each file.

    Findings that are as bad as `fail_on` are failures; the others stand in the case's output.
    """
    suites = ElementTree.Element("testsuites", name=title)
    groups: dict[str, list[ReportEntry]] = {}
    for entry in checked:
        groups.setdefault(entry.group, []).append(entry)
    total = 0
    for group, entries in groups.items():
        suite = ElementTree.SubElement(suites, "testsuite", name=group, tests=str(len(entries)), errors="0")
        failed = 0
        for entry in entries:
            case = ElementTree.SubElement(suite, "testcase", name=entry.name, classname=group)
            if entry.path:
                case.set("file", entry.path)
            bad = [finding for finding in entry.findings if fails(finding, fail_on)]
            failed += bool(bad)
            if bad:
                failure = ElementTree.SubElement(case, "failure", message=_clean(bad[0].message), type=bad[0].rule)
                failure.text = _clean("\n".join(f"{finding.rule}: {finding.message} {finding.way_out}" for finding in bad))
            rest = [finding for finding in entry.findings if finding not in bad]
            if rest:
                out = ElementTree.SubElement(case, "system-out")
                out.text = _clean("\n".join(f"{finding.severity}: {finding.message}" for finding in rest))
        suite.set("failures", str(failed))
        total += failed
    suites.set("tests", str(len(checked)))
    suites.set("failures", str(total))
    ElementTree.indent(suites)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(suites, encoding="unicode") + "\n"


def sarif(checked: Sequence[ReportEntry], version: str, rules: Mapping[str, str]) -> str:
    """SARIF 2.1.0 (OASIS): one run whose results point at files by paths relative to the checked folder.

    `rules` says each rule in a sentence, by its id; a rule that was broken and is not among them describes itself.
    """
    ids = sorted({finding.rule for entry in checked for finding in entry.findings})
    results = [
        {
            "ruleId": finding.rule,
            "ruleIndex": ids.index(finding.rule),
            "level": _LEVELS[finding.severity],
            "message": {"text": f"{finding.message} {finding.way_out}"},
            **_location(entry),
        }
        for entry in checked
        for finding in entry.findings
    ]
    driver = {
        "name": "fairtexel",
        "semanticVersion": version,
        "rules": [{"id": rule, "shortDescription": {"text": rules.get(rule, rule.replace("-", " "))}} for rule in ids],
    }
    run = {"tool": {"driver": driver}, "columnKind": "unicodeCodePoints", "results": results}
    return json.dumps({"$schema": SARIF_SCHEMA, "version": "2.1.0", "runs": [run]}, indent=2, ensure_ascii=False) + "\n"


def _location(reported: ReportEntry) -> dict[str, object]:
    if not reported.path:
        return {"locations": [{"logicalLocations": [{"name": reported.name, "kind": "set"}]}]}
    return {"locations": [{"physicalLocation": {"artifactLocation": {"uri": quote(reported.path), "uriBaseId": "ROOT"}}}]}


def _clean(text: str) -> str:
    """Without the signs that XML 1.0 has no way to write (its production 2, Char); names of files may hold any."""
    return _NOT_XML.sub("", text)
