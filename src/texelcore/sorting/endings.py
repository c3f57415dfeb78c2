"""The survey of an arrival: where every name is cut into stem and ending, and what each class of files with one ending holds.

An ending is what a class of files shares behind stems that also occur without it, or with other endings. One file cannot tell:
"s" may be a specular map, the south side of a sky or the last of a row of letters. All files that end so, their siblings and
their pixels, can. What they do not settle becomes one question about the ending.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace

from texelcore.naming.house import Reader
from texelcore.naming.lexicon import Meaning
from texelcore.naming.tokens import is_sign_of_a_word, key_of_stem, tokenise
from texelcore.sorting.cuts import Cut, Piece, contradicts, meaning_of_folder
from texelcore.sorting.judging import BASE, FEW_STEMS, MOST, NORMAL, EndingClass, Ground, Judge, Place
from texelcore.surface.files import FileFacts

# A class is judged folder by folder where a folder has this many of it; the rest of it is judged together.
A_FOLDERS_WORTH = 4
# A generic file name ("gloss.png" in a folder for each set) comes in at least this many folders.
FEW_FOLDERS = 3
# A folder of no more files than this may be one set with a single generic name in it.
A_SMALL_FOLDER = 4
# The tile that every layout has.
FIRST_TILE = 1001


@dataclass
class Survey:
    """Every file with its cut decided, and the classes that it was decided in."""

    pieces: list[Piece]
    classes: list[EndingClass] = field(default_factory=list)

    def stems(self) -> set[Place]:
        """The places (home folder and stem's key) that files with an ending belong to."""
        return {(piece.home, piece.cut.stem_key) for piece in self.pieces if piece.cut}


def survey(files: Iterable[FileFacts], reader: Reader, tree: Sequence[FileFacts] = ()) -> Survey:
    """Decide for every file where its name is cut, in the light of all of them. `tree` are more files of the project that say
    something about the conventions of it (whether it knows metallic maps)."""
    ordered = sorted(files, key=lambda facts: (facts.path.casefold(), facts.path))
    found = Survey([Piece(facts, reader) for facts in ordered])
    _Surveyor(found, reader, tree).decide()
    return found


class _Surveyor:
    """One survey while it is made. Each step looks only at files that no step before has decided."""

    def __init__(self, found: Survey, reader: Reader, tree: Sequence[FileFacts]) -> None:
        self.found = found
        self.pieces = found.pieces
        self.reader = reader
        self.tree = tree
        self.ground = Ground(taught={habit.words: habit for habit in reader.habits})
        for piece in self.pieces:
            self.ground.names[piece.place].append(piece)

    def decide(self) -> None:
        self._strong()
        self._weak()
        self._generic()
        self._glued()
        self._named_masks()
        self._normals_of_glows()
        self._bare()

    # Names that leave no doubt.

    def _strong(self) -> None:
        cuts = {id(piece): cut for piece in self.pieces if (cut := piece.strong())}
        crowds = Counter(piece.home for piece in self.pieces)
        generic = Counter(piece.home for piece in self.pieces if id(piece) in cuts and not cuts[id(piece)].stem)
        for piece in self.pieces:
            # "specular.png" alone among many named files is a picture of that name, not the map of its folder.
            if id(piece) in cuts and not cuts[id(piece)].stem and generic[piece.home] < 2 and crowds[piece.home] > A_SMALL_FOLDER:
                del cuts[id(piece)]
        certain = [piece for piece in self.pieces if id(piece) in cuts and not contradicts(piece.facts, cuts[id(piece)].meanings)]
        held = {(piece.home, cuts[id(piece)].stem_key) for piece in certain}
        by_ending: dict[str, list[Piece]] = defaultdict(list)
        for piece in self.pieces:
            cut = cuts.get(id(piece))
            if cut is None:
                continue
            said = cut.reading
            taught = said is not None and (said.habit or said.house)
            sibling = (piece.home, cut.stem_key) in held or (piece.home, cut.stem_key) in self.ground.names
            if contradicts(piece.facts, cut.meanings) and not taught and not sibling:
                # A picture in colour called "city_metal", and nothing else called "city": the word belongs to the name.
                continue
            by_ending[cut.ending].append(piece)
            piece.cut = cut
        for ending, members in by_ending.items():
            self._settle_strong(ending, members)

    def _settle_strong(self, ending: str, members: list[Piece]) -> None:
        taught = ending in self.ground.taught or all(piece.reading and piece.reading.house for piece in members)
        against = [piece for piece in members if piece.cut and contradicts(piece.facts, piece.cut.meanings)]
        meanings = members[0].cut.meanings if members[0].cut else ()
        asked, why = False, ""
        if not taught and meanings == ("gloss",) and self._may_be_strength(members):
            asked, why = True, "Nothing here is metallic or rough, so these may be the strength of specular light, and no gloss."
        if not taught and len(against) > 2 and len(against) >= 0.3 * len(members):
            asked = True
            why = f"{len(against)} of {len(members)} look like something else than {_said(meanings)}."
        kept = EndingClass(ending, members, meanings, asked, why)
        self.found.classes.append(kept)
        for piece in members:
            self._take(piece, piece.cut, asked)

    def _may_be_strength(self, members: list[Piece]) -> bool:
        """Gloss maps of a tree that knows next to no metallic or roughness maps may be what older engines call specular."""
        strong = [piece.reading for piece in self.pieces if piece.reading and piece.reading.strength == "strong"]
        strong += [said for facts in self.tree if (said := self.reader.read(facts.path)) and said.strength == "strong"]
        modern = sum(bool({"metallic", "roughness"} & set(said.meanings)) for said in strong)
        return len(members) >= 8 and modern < 0.1 * len(members)

    # Letters, words of plain language, and words that nobody knows.

    def _weak(self) -> None:
        cuts = {id(piece): cut for piece in self.pieces if piece.cut is None and (cut := piece.weak())}
        # Generic names ("bump.png") need a folder of generic names; they have a step of their own.
        cuts = {key: cut for key, cut in cuts.items() if cut.stem}
        offers: dict[Place, dict[str, list[Piece]]] = defaultdict(lambda: defaultdict(list))
        classes: dict[tuple[bool, str], list[Piece]] = defaultdict(list)
        for piece in self.pieces:
            if cut := cuts.get(id(piece)):
                offers[piece.home, cut.stem_key][cut.ending].append(piece)
                classes[not cut.meanings, cut.ending].append(piece)
        judge = Judge(self.ground, cuts, offers)
        # What the lexicon knows comes first: unknown endings are judged beside what is known of their stems.
        for (unknown, ending), members in sorted(classes.items(), key=lambda entry: entry[0]):
            for unit in _units(members):
                self._settle(judge.known(ending, unit) if not unknown else judge.unknown(ending, unit), judge)

    def _settle(self, verdict: EndingClass | None, judge: Judge) -> None:
        if verdict is None:
            return
        self.found.classes.append(verdict)
        if not verdict.meanings and not verdict.ask:
            return
        for piece in verdict.pieces:
            self._take(piece, judge.cuts[id(piece)], verdict.ask, verdict.meanings)

    # Whole names that are endings: "gloss.png" in a folder for each set.

    def _generic(self) -> None:
        homes: dict[str, set[str]] = defaultdict(set)
        inside: dict[str, set[str]] = defaultdict(set)
        for piece in self.pieces:
            if piece.home:
                homes[piece.peeled_key].add(piece.home)
                inside[piece.home].add(piece.peeled_key)
        cuts: dict[int, Cut] = {}
        classes: dict[str, list[Piece]] = defaultdict(list)
        for piece in self.pieces:
            if piece.cut or not piece.home or len(homes[piece.peeled_key]) < FEW_FOLDERS:
                continue
            around = inside[piece.home]
            repeated = sum(len(homes[name]) >= FEW_FOLDERS for name in around)
            said_here = "" in {place[1] for place in self.ground.ends if place[0] == piece.home}
            if not said_here and not (len(around) > 1 and repeated >= MOST * len(around)):
                continue
            said = piece.reading if piece.reading and not piece.reading.stem else None
            meanings = said.meanings if said else ()
            cuts[id(piece)] = Cut("", piece.peeled_key, piece.name, "first", meanings, "weak", said)
            classes[piece.peeled_key].append(piece)
        offers: dict[Place, dict[str, list[Piece]]] = defaultdict(lambda: defaultdict(list))
        for piece in self.pieces:
            if cut := cuts.get(id(piece)):
                offers[piece.home, ""][cut.ending].append(piece)
        judge = Judge(self.ground, cuts, offers)
        if not any(piece.look != "colour" for members in classes.values() for piece in members) and not self.ground.ends:
            return
        for ending, members in sorted(classes.items()):
            known = bool(cuts[id(members[0])].meanings)
            self._settle(judge.known(ending, members) if known else judge.unknown(ending, members), judge)

    # Endings that are glued to a word, which only the word itself can show.

    def _glued(self) -> None:
        heads: dict[str, set[str]] = defaultdict(set)
        for home, key in [*self.ground.names, *self.ground.ends]:
            heads[home].add(key)
        cuts: dict[int, Cut] = {}
        classes: dict[tuple[str, str], list[Piece]] = defaultdict(list)
        offers: dict[Place, dict[str, list[Piece]]] = defaultdict(lambda: defaultdict(list))
        for piece in self.pieces:
            if piece.cut is None and (cut := self._longest_head(piece, heads[piece.home])):
                cuts[id(piece)] = cut
                offers[piece.home, cut.stem_key][cut.ending].append(piece)
                classes[piece.home, cut.ending].append(piece)
        judge = Judge(self.ground, cuts, offers)
        for (_, ending), members in sorted(classes.items()):
            first = cuts[id(members[0])]
            if len({cuts[id(piece)].stem_key for piece in members}) < FEW_STEMS and first.strength != "strong":
                continue
            verdict = judge.known(ending, members) if first.meanings else judge.unknown(ending, members)
            self._settle(verdict, judge)
        self._glued_alike()

    def _longest_head(self, piece: Piece, heads: set[str]) -> Cut | None:
        for place in range(len(piece.name) - 1, 1, -1):
            stem = piece.name[:place]
            if not is_sign_of_a_word(stem[-1]) or not piece.name[place].isalpha():
                continue
            if (cut := Cut(stem, "", "", "glued")).stem_key in heads and cut.stem_key != piece.key:
                return piece.glued_to(stem)
        return None

    def _glued_alike(self) -> None:
        """Stems that never stand alone, but have several of the endings that others of their folder have glued on."""
        known: dict[str, dict[str, EndingClass]] = defaultdict(dict)
        for kind in self.found.classes:
            for piece in kind.pieces:
                # A letter for base colour may be one of a row; what is no map is not told by its company alone.
                if piece.cut and piece.cut.joint == "glued" and (kind.ask or kind.meanings not in ((), BASE)):
                    known[piece.home][kind.ending] = kind
        for piece in self.pieces:
            if piece.cut or not known[piece.home]:
                continue
            for ending, kind in known[piece.home].items():
                letters = ending.replace(" ", "")
                stem = piece.name[: -len(letters)]
                if not stem or piece.name[-len(letters) :].lower() != letters or not piece.name[len(stem)].isalpha():
                    continue
                cut = piece.glued_to(stem)
                others = (key.replace(" ", "") for key in known[piece.home] if key != ending)
                if cut and any((piece.home, cut.stem_key + other) in self.ground.names for other in others):
                    kind.pieces.append(piece)
                    self._take(piece, cut, kind.ask, kind.meanings)
                    break

    # What has no ending.

    def _named_masks(self) -> None:
        """ "konqi_dirt_mask" beside "konqi" and without a "konqi_dirt" is that set's mask of dirt."""
        stems = {(piece.home, piece.cut.stem_key): piece for piece in self.pieces if piece.cut}
        for piece in self.pieces:
            cut, said = piece.cut, piece.final
            if cut is None or said is None or said.meanings != ("mask",) or said.habit or said.house:
                continue
            others = sum(len(pieces) for pieces in self.ground.ends[piece.home, cut.stem_key].values())
            if others > 1 or (piece.home, cut.stem_key) in self.ground.names:
                continue
            tokens = tokenise(cut.stem)
            for place in range(len(tokens) - 1, 0, -1):
                stem = cut.stem[: tokens[place - 1].end]
                key = (piece.home, key_of_stem(stem))
                if tokens[place].joint in ("separated", "capital") and (key in self.ground.names or key in stems):
                    label = "_".join(token.key for token in tokens[place:])
                    piece.cut, piece.final = replace(cut, stem=stem), replace(said, stem=stem, label=label)
                    break

    def _normals_of_glows(self) -> None:
        """ "lamp_glow_norm" beside "lamp_glow" and "lamp_norm" is a normal map of that set, and not the one to use."""
        glows = {
            piece.place: piece.cut for piece in self.pieces if piece.cut and piece.final and piece.final.meanings == ("emissive",)
        }
        directed = {
            (piece.home, piece.cut.stem_key)
            for piece in self.pieces
            if piece.cut and piece.final and piece.final.meanings == NORMAL
        }
        for piece in self.pieces:
            cut, said = piece.cut, piece.final
            if cut is None or said is None or said.meanings != NORMAL:
                continue
            glow = glows.get((piece.home, cut.stem_key))
            if glow and (piece.home, glow.stem_key) in directed:
                piece.cut = replace(cut, stem=glow.stem)
                piece.final = replace(said, stem=glow.stem, strength="weak")

    def _bare(self) -> None:
        stems, tiles = self.found.stems(), self._tiles()
        for piece in self.pieces:
            if piece.cut:
                continue
            said = meaning_of_folder(piece.facts.path)
            if said and not contradicts(piece.facts, said.meanings) and self._has_company(piece, said.meanings):
                cut = Cut(piece.name, f"{said.ending}/", said.word, "separated", said.meanings)
                self._take(piece, cut, False, said.meanings)
                continue
            if piece.look == "directions":
                continue
            whole = Cut(piece.name, "", "", "first", BASE).as_reading(BASE)
            if piece.place in stems:
                piece.final = whole
            elif (piece.home, piece.peeled_key) in stems or piece in tiles[piece.home, piece.peeled_key]:
                stem, revision, tile = piece.peeled
                piece.final = replace(whole, stem=stem, revision=revision, tile=tile)

    def _tiles(self) -> dict[Place, list[Piece]]:
        """Pictures without an ending that are the tiles of one layout, by stem: several numbers, the first among them."""
        tiles: dict[Place, list[Piece]] = defaultdict(list)
        for piece in self.pieces:
            if not piece.cut and piece.peeled[2]:
                tiles[piece.home, piece.peeled_key].append(piece)
        for pieces in tiles.values():
            numbers = {piece.peeled[2] for piece in pieces}
            if len(numbers) < 2 or FIRST_TILE not in numbers:
                pieces.clear()
        return tiles

    def _has_company(self, piece: Piece, meanings: tuple[Meaning, ...]) -> bool:
        return len(self.ground.names[piece.place]) > 1 or (meanings == NORMAL and piece.look == "directions") or meanings == BASE

    # Shared.

    def _take(self, piece: Piece, cut: Cut | None, asked: bool, meanings: tuple[Meaning, ...] = ()) -> None:
        if cut is None:
            return
        piece.cut = cut
        habit = self.ground.taught.get(cut.ending)
        if habit and not (cut.reading and cut.reading.house):
            if habit.surface:
                piece.cut = None
                return
            piece.final = cut.as_reading(habit.meanings, habit)  # type: ignore[arg-type]
        elif asked:
            piece.asked = cut.ending
        elif cut.reading and cut.strength == "strong" and (not meanings or meanings == cut.reading.meanings):
            piece.final = cut.reading
        else:
            piece.final = cut.as_reading(meanings or cut.meanings)
        self.ground.ends[piece.home, cut.stem_key][cut.ending].append(piece)


def _units(members: list[Piece]) -> list[list[Piece]]:
    """A class folder by folder where a folder has several of it, and what is left of it together."""
    homes: dict[str, list[Piece]] = defaultdict(list)
    for piece in members:
        homes[piece.home].append(piece)
    units = [pieces for pieces in homes.values() if len(pieces) >= A_FOLDERS_WORTH]
    rest = [piece for pieces in homes.values() if len(pieces) < A_FOLDERS_WORTH for piece in pieces]
    return [*units, rest] if rest else units


def _said(meanings: tuple[Meaning, ...]) -> str:
    return " and ".join(meaning.replace("_", " ") for meaning in meanings)
