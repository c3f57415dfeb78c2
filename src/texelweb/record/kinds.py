"""The kinds of things whose deeds are on record: each is declared here once, for the server and the page. The page's table is
written by `tools/client`."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Kind:
    """A kind of thing. `group` is what the record's filter calls it together with its like, and `page` where a line of it leads
    when it does not lead to the thing itself or its set; "" for nowhere."""

    key: str
    group: str
    page: str = ""


# In the order of the filter.
_ALL = (
    Kind("arrival", "arrivals and files", "arrivals"),
    Kind("file", "arrivals and files", "maps"),
    Kind("answers", "answers", "arrivals"),
    Kind("set", "sets and models"),
    Kind("folder", "sets and models", "board"),
    Kind("note", "sets and models"),
    Kind("model", "sets and models", "models"),
    Kind("renames", "renames", "renames"),
    Kind("rules", "rules and tolerances", "rules"),
    Kind("tolerances", "rules and tolerances", "tolerances"),
    Kind("build", "builds and proofs"),
    Kind("proof", "builds and proofs"),
    Kind("target", "targets", "targets"),
    Kind("studio target", "targets", "targets"),
    Kind("variant", "variants and masters"),
    Kind("master", "variants and masters"),
    Kind("studio master", "variants and masters", "masters"),
    Kind("block", "variants and masters", "masters"),
    Kind("delivery", "deliveries", "deliveries"),
    Kind("download", "deliveries", "deliveries"),
    Kind("people", "people and projects", "project"),
    Kind("project", "people and projects", "project"),
)
KINDS: dict[str, Kind] = {kind.key: kind for kind in _ALL}
