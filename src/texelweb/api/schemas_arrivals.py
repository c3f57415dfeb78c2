"""What the API says and hears about bringing in: questions, house rules, renames, revisions, tokens."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from ninja import Field, Schema
from pydantic import BaseModel

from texelcore.checks.figures import Figure
from texelcore.naming.rules import HouseRules
from texelcore.sorting.questions import Question
from texelcore.surface.checks import Preset, Say
from texelcore.surface.ledger import FileFacts


class QuestionFile(Schema):
    """A file that a question is about."""

    id: int
    name: str
    path: str
    width: int
    height: int
    channels: list[str]


class Placed(Schema):
    """A folder that members of a question lie in, and how many."""

    place: str
    count: int


class MemberView(Schema):
    """A member of a question as its gallery shows it: its key, its files, and the set that it is about."""

    key: str
    files: list[QuestionFile]
    set_name: str | None
    place: str
    unlike: bool


class QuestionView(Schema):
    """An open question: the core's document without its members, of which the first are shown; `total` counts all, `places` the
    folders that they lie in. Questions are listed by `rank`, then those with most members first, then by key."""

    question: Question
    rank: int
    set_name: str | None
    files: list[QuestionFile]
    members: list[MemberView]
    total: int
    places: list[Placed]


class SettledView(Schema):
    """An act that settled questions, and may be undone as one."""

    act: UUID
    text: str
    answer: str
    count: int
    by: str
    at: datetime


class Questions(Schema):
    """A project's open questions, worst first, and what was settled last. `total` counts those beyond the page too; `stamp`
    stands for all of them as they are."""

    stamp: str
    total: int
    open: list[QuestionView]
    settled: list[SettledView]


class QuestionsChanged(Schema):
    """What an act changed: keys of questions that are `gone`, and those that are `open` anew or otherwise than before. It goes
    from the questions with the stamp `before` to those with the stamp `after`; whoever has others has to ask for all."""

    before: str
    after: str
    total: int
    gone: list[str]
    open: list[QuestionView]
    settled: list[SettledView]


class AnswerGiven(Schema):
    """An answer by its key; null takes the prepared one. `members` and `places` (folders) give it to some members only. `teach`
    makes it a habit of the house."""

    answer: str | None = None
    members: list[str] | None = Field(default=None, max_length=20000)
    places: list[str] | None = Field(default=None, max_length=5000)
    teach: bool = False


class AnswersTaken(Schema):
    """The questions whose prepared answers are taken; null takes all that are open. `teach` keeps the habits of answers."""

    questions: list[str] | None = Field(default=None, max_length=5000)
    teach: bool = False


class EndingView(Schema):
    """A class of files with one ending: as written, how many files over how many stems, what they look like, what was decided or
    would be most likely, samples and outliers."""

    ending: str
    written: str
    files: int
    stems: int
    looks: dict[str, int]
    meanings: list[str]
    asked: bool
    question: str | None
    guess: str | None
    why: str
    habit: bool
    samples: list[QuestionFile]
    outliers: list[QuestionFile]


class Endings(Schema):
    """The table of a project's endings, those that are asked first; and how many pictures stand alone."""

    endings: list[EndingView]
    alone: int
    files: int


class LimitView(Schema):
    """A number that a check goes by."""

    key: str
    title: str
    default: float
    low: float
    high: float
    unit: str


class CheckView(Schema):
    """A kind of check: what it looks for, its limits, and how loud it is by preset."""

    rule: str
    title: str
    about: str
    limits: list[LimitView]
    presets: dict[Preset, Say]


class RulesVersionView(Schema):
    """A version of the house rules in one line."""

    number: int
    what: str
    by: str
    at: datetime


class RulesView(Schema):
    """A project's house rules as they are now. `version` 0 are the defaults, before anybody wrote any."""

    version: int
    rules: HouseRules
    versions: list[RulesVersionView]
    may_edit: bool


class RulesSaved(Schema):
    """New house rules. `base` is the version that they were made from: another one in between is not overwritten."""

    base: int
    rules: HouseRules
    what: str = Field(default="Changed", max_length=200)


class NamesTried(Schema):
    """Names for the tester, against rules that may not have been saved yet."""

    rules: HouseRules
    names: list[str] = Field(max_length=500)


class NameTried(Schema):
    """What the tester says of a name: what it seems to mean, what it breaks, and what the rules would write."""

    name: str
    holds: bool
    meaning: str
    breaks: list[str]
    would_be: str


class RenameLine(BaseModel):
    """One line of a rename plan."""

    file: int
    old: str
    new: str | None
    rules: list[str]
    why: list[str]
    note: str


class RenameActView(BaseModel):
    """A rename that was applied."""

    id: int
    count: int
    by: str
    at: datetime
    undone: datetime | None


class RenamePlanView(BaseModel):
    """What the house rules would rename, a stamp of that plan, and the renames that were applied last."""

    stamp: str
    lines: list[RenameLine]
    acts: list[RenameActView]


class RenameAsked(Schema):
    """Apply the plan with this stamp, for all files or for some."""

    stamp: str
    files: list[int] | None = None


class RevisionView(Schema):
    """A revision of a source file."""

    number: int
    sha256: str
    width: int
    height: int
    bytes: int
    what: str
    by: str
    at: datetime
    current: bool


class FileDetail(Schema):
    """A source file with all that was measured on it, and its revisions, newest first. `siblings` are the paths that would
    follow it into a set."""

    id: int
    facts: FileFacts
    figures: list[Figure]
    set_id: int | None
    set_name: str | None
    siblings: list[str]
    revisions: list[RevisionView]


class TakenInto(Schema):
    """Where a file goes: a set by its id, or null for a new one, which may be named. `siblings` follow it."""

    set: int | None = None
    name: str = ""
    siblings: bool = True


class Texel(Schema):
    """One texel: its stored values by channel (null for what is no number), and what they mean in the canonical surface, where
    that is known."""

    x: int
    y: int
    stored: dict[str, float | None]
    means: str


class Hashes(Schema):
    """SHA-256 of files that somebody is about to send."""

    sha256: list[str] = Field(max_length=5000)


class KnownFile(Schema):
    """A file that need not be sent: its bytes are here."""

    path: str = Field(max_length=1024)
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")


class TokenView(Schema):
    """An access token, without its secret."""

    id: int
    name: str
    begins: str
    project: str | None
    writes: bool
    expires: datetime | None
    over: bool
    created: datetime
    used: datetime | None


class NewToken(Schema):
    """A name for a token, so that it can be told apart later, and what it opens: one project, to read or to write, for so many
    days (null is for good)."""

    name: str = Field(min_length=1, max_length=80)
    project: str = Field(max_length=50)
    writes: bool = True
    days: int | None = Field(default=90, ge=1, le=3660)


class TokenMade(Schema):
    """A token and its secret, which is shown once."""

    token: TokenView
    secret: str


class AccountView(Schema):
    """The signed-in user's own page."""

    name: str
    tokens: list[TokenView]
    depot_key: bool
    sessions: int


class PasswordChange(Schema):
    """The old password and a new one."""

    old: str = Field(max_length=4096)
    new: str = Field(max_length=4096)
