"""Questions across sets: sets with one name, files that came twice, files that look alike."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping

from texelcore.sorting.cuts import home_folder
from texelcore.sorting.doubles import near_doubles
from texelcore.sorting.questions import Action, Answer, Question, Scene, Use, question
from texelcore.surface.files import FileFacts
from texelcore.surface.properties import property_of
from texelcore.surface.sources import Source


def same_names_asked(scene: Scene) -> Iterator[Question]:
    """Sets that got one name from different folders."""
    named: dict[str, list[tuple[str, str, FileFacts]]] = defaultdict(list)
    for key, ledger in scene.ledgers.items():
        if ledger.rows and ledger.rows[0].file in scene.files:
            named[ledger.name.casefold()].append((key, ledger.name, scene.files[ledger.rows[0].file]))
    taken = set(named)
    for sets in named.values():
        for key, own, facts in sets[1:]:
            first = sets[0][2]
            yield question(
                "same name",
                key,
                (facts.id, first.id),
                f"Two sets are called {own}. Are they two surfaces?",
                f"One comes from {first.path}, the other from {facts.path}.",
                (
                    Answer(
                        key="rename",
                        label=f"Two; call the second “{(name := _longer(own, facts.path, taken))}”",
                        actions=(Action(kind="rename", set=key, name=name),),
                    ),
                    Answer(key="leave", label="Two, and the names may stay"),
                ),
                fold="names",
                many="{n} sets have the name of another set. Are they different surfaces?",
            )


def _longer(name: str, path: str, taken: set[str]) -> str:
    """A set's name with the folders that tell it from others of the name; `taken` grows by it."""
    folders = home_folder(path).split("/")
    made = name
    for folder in [*reversed(folders), "second"]:
        if folder and folder.casefold() not in made.casefold().split("_"):
            made = f"{made}_{folder}"
        if made.casefold() not in taken:
            break
    taken.add(made.casefold())
    return made[:80]


def doubles_asked(scene: Scene) -> Iterator[Question]:
    """Files that agree in every byte: needless copies, or one file that two sets use."""
    homes = {file: key for key, ledger in scene.ledgers.items() for file in ledger.files()}
    used = {file for ledger in scene.ledgers.values() for row in ledger.rows for file in row.files()}
    asked = {open_file.file for open_file in scene.open if open_file.kind == "copy"}
    alike: dict[str, list[FileFacts]] = defaultdict(list)
    for facts in scene.files.values():
        if facts.id not in asked:
            alike[facts.sha256].append(facts)
    for twins in alike.values():
        twins.sort(key=lambda facts: (facts.id not in used, facts.path))
        first = twins[0]
        for second in twins[1:]:
            if second.id not in used:
                if second.id not in homes:
                    yield _double(scene, first, second, homes)
            elif homes[first.id] == homes[second.id]:
                yield _serves_twice(scene, homes[first.id], first, second)
            else:
                yield _shared(scene, first, second, homes)


def _double(scene: Scene, first: FileFacts, second: FileFacts, homes: Mapping[Source, str]) -> Question:
    why = f"The same file as {first.path}."
    aside = Action(kind="set aside", set=homes.get(second.id), file=second.id, why=why)
    return question(
        "double",
        homes.get(second.id),
        (second.id, first.id),
        f"{second.name} is the same file as {first.name}. Keep both?",
        f"{second.path} and {first.path} agree in every byte.",
        (Answer(key="aside", label="Set the copy aside", actions=(aside,)), Answer(key="both", label="Keep both")),
        fold="doubles",
        many="{n} files are copies of others. Keep them?",
    )


def _serves_twice(scene: Scene, key: str, first: FileFacts, second: FileFacts) -> Question:
    """Two files of one set that agree in every byte, and both serve it: a base colour that glows as it is, most likely."""
    ledger = scene.ledgers[key]
    held = {property_of(row.property).title: None for twin in (first, second) for row in ledger.rows if twin.id in row.files()}
    titles = " and ".join([title.lower() if at else title for at, title in enumerate(held)])
    # Tiles of one property may be alike too.
    what = f"{titles} of {ledger.name} are" if len(held) > 1 else f"{first.name} and {second.name} of {ledger.name} are"
    why = f"Left out: it is the same file as {first.name}."
    take_out = Action(kind="leave out", set=key, file=second.id, why=why)
    return question(
        "double",
        key,
        (second.id, first.id),
        f"{what} the same file. Is that meant?",
        f"{first.path} and {second.path} agree in every byte.",
        (
            Answer(key="both", label="Keep both"),
            Answer(key="out", label=f"Leave {second.name} out", actions=(take_out,)),
        ),
        fold="serves twice",
        many="{n} sets have the same file twice, and use both. Is that meant?",
    )


def _shared(scene: Scene, first: FileFacts, second: FileFacts, homes: Mapping[Source, str]) -> Question:
    one, two = scene.ledgers[homes[first.id]], scene.ledgers[homes[second.id]]
    row = next(row for row in two.parts() if row.file == second.id)
    title = property_of(row.property).title.lower()
    why = f"Left out: it is {one.name}’s, and {two.name} needs a file of its own."
    take_out = Action(kind="leave out", set=homes[second.id], file=second.id, why=why)
    return question(
        "shared",
        homes[second.id],
        (second.id, first.id),
        f"{one.name} and {two.name} use one file. Does each need its own?",
        f"{first.path} and {second.path} agree in every byte; {two.name} reads its {title} from it.",
        (
            Answer(key="share", label="They share it"),
            Answer(key="own", label=f"{two.name} needs its own: leave this one out", actions=(take_out,)),
        ),
        about=row.property,
        fold="shared",
        many="{n} sets use a file that another set uses too. Does each need its own?",
    )


def near_doubles_asked(
    files: Iterable[FileFacts], uses: Mapping[Source, Use], among: Collection[str] | None = None
) -> Iterator[Question]:
    """Files that differ in bytes and hardly in their picture, and that are used for one and the same property. With `among`,
    only pairs that have one of these files."""
    alike: dict[str, list[FileFacts]] = defaultdict(list)
    for facts in files:
        if use := uses.get(facts.id):
            alike[use.property].append(facts)
    for first, second in (pair for files in alike.values() for pair in near_doubles(files, among)):
        home = uses[second.id].set
        if uses[first.id].set == home:
            # Two maps of one set may look alike: roughness and occlusion of stone do.
            continue
        aside = Action(kind="set aside", set=home, file=second.id, why=f"Nearly the same picture as {first.path}.")
        yield question(
            "near double",
            home,
            (second.id, first.id),
            f"{second.name} looks nearly the same as {first.name}. Keep both?",
            f"{first.path} ({first.width} × {first.height}) and {second.path} ({second.width} × {second.height}) are other files"
            " with nearly the same picture.",
            (Answer(key="both", label="Keep both"), Answer(key="aside", label=f"Set {second.name} aside", actions=(aside,))),
            fold="near doubles",
            many="{n} pairs of files look nearly the same. Keep both of each?",
        )
