"""`fairtexel`: sort, check, build, pack, repack, deliver and receive from the command line; watch, push, pull and rebuild with a
server.

Exit code 0 done, 1 errors found, 2 wrong usage or unreadable input. Each command's own imports wait until it is asked
for, so that packing three maps does not wait for what sorting needs.
"""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from texelcli.exits import DONE, UNUSABLE
from texelcore.pixels.errors import TexelError

if TYPE_CHECKING:
    from texelcli.server import Server


def run(arguments: Sequence[str] | None = None) -> int:
    """Parse arguments, do the work, and return the exit code."""
    options = _parser().parse_args(_joined(sys.argv[1:] if arguments is None else arguments))
    try:
        return int(options.work(options))
    except TexelError as error:
        print(f"fairtexel: {error}", file=sys.stderr)
        return UNUSABLE
    except FileNotFoundError as error:
        print(f"fairtexel: {error.filename or 'A file'} is not there. Look at the path.", file=sys.stderr)
        return UNUSABLE
    except BrokenPipeError:
        # Whoever read the answer has had enough of it.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return DONE
    except KeyboardInterrupt:
        print("\nfairtexel: stopped; nothing half-written was left.", file=sys.stderr)
        return UNUSABLE


def _joined(arguments: Sequence[str]) -> list[str]:
    """Arguments in which “-Y” after an option is its value, as people write it, and no option of its own."""
    found: list[str] = []
    for argument in arguments:
        if argument == "-Y" and found and found[-1].startswith("--"):
            found[-1] += f"={argument}"
        else:
            found.append(argument)
    return found


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="fairtexel", description="Sort texture maps into sets and build them for a target.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    sort = commands.add_parser("sort", help="say which maps belong together and what each channel holds")
    build = commands.add_parser("build", help="write the textures that a target asks for")
    for command in (sort, build):
        command.add_argument("folder", type=Path, metavar="DIR", help="folder of maps; subfolders are read too")
        command.add_argument("--json", action="store_true", help="print the result as JSON")
    sort.add_argument("--prepared", action="store_true", help="take every prepared answer, and go on until nothing is open")
    build.add_argument(
        "--target",
        metavar="NAME",
        help="a shipped target, or a target document (.json); goes before a project's own",
    )
    build.add_argument("--out", required=True, type=Path, metavar="DIR", help="folder to write to; made when missing")
    build.add_argument("--project", default="", metavar="CODE", help="project code for the name template")
    check = commands.add_parser("check", help="hold a folder against house rules; exit code 1 when something is found")
    check.add_argument("folder", type=Path, metavar="DIR", help="folder of maps; subfolders are read too")
    check.add_argument("--rules", type=Path, metavar="FILE", help="a house rules document (.json); goes before a project's own")
    check.add_argument("--target", metavar="NAME", help="also check what this target would get, and memory budgets")
    check.add_argument("--project", default="", metavar="CODE", help="project code for the name template")
    check.add_argument(
        "--fail-on", choices=("error", "warning", "note"), default="warning", help="the least finding that fails (warning)"
    )
    check.add_argument("--junit", type=Path, metavar="FILE", help="also write JUnit XML")
    check.add_argument("--sarif", type=Path, metavar="FILE", help="also write SARIF 2.1.0")
    check.add_argument("--renames", type=Path, metavar="FILE", help="also write the rename plan as CSV: old name, new name")
    pack = commands.add_parser("pack", help="put greyscale maps into the channels of one texture, as they are")
    pack.add_argument("channels", nargs="+", metavar="CHANNEL=FILE", help="for example R=ao.png or G=scan.tga:B")
    pack.add_argument("--out", required=True, type=Path, metavar="FILE", help="ends with .png, .tga, .tif or .exr")
    pack.add_argument("--srgb", action="store_true", help="declare the result as sRGB; it is linear otherwise")
    deliver = commands.add_parser("deliver", help="go the whole way: sort, build, encode, prove, dress, deliver, read back")
    deliver.add_argument("folder", type=Path, metavar="DIR", help="folder of maps; subfolders are read too")
    deliver.add_argument("--target", metavar="NAME", help="a shipped target, or a target document (.json)")
    deliver.add_argument(
        "--out", required=True, type=Path, metavar="DIR", help="folder of the delivery; an older one there is replaced"
    )
    deliver.add_argument("--project", default="", metavar="CODE", help="project code for the name template")
    deliver.add_argument("--zip", type=Path, metavar="FILE", help="also write the delivery as one zip")
    dock = commands.add_parser("dock", help="read a delivered folder as an engine would, and print its receipt")
    dock.add_argument("folder", type=Path, metavar="DIR", help="a delivered folder")
    dock.add_argument("--target", required=True, metavar="NAME", help="a shipped target, or a target document (.json)")
    for command in (sort, build, check, deliver):
        command.add_argument(
            "--project-document",
            type=Path,
            metavar="FILE",
            dest="document",
            help="all that a project has decided, as `fairtexel pull` gives it",
        )
    for command in (deliver, dock, check):
        command.add_argument("--json", action="store_true", help="print the result as JSON")
    sort.set_defaults(work=_sort)
    check.set_defaults(work=_check)
    deliver.set_defaults(work=_deliver)
    dock.set_defaults(work=_dock)
    build.set_defaults(work=_build)
    pack.set_defaults(work=_pack)
    _add_target_commands(commands)
    _add_server_commands(commands)
    return parser


def _add_target_commands(commands: Any) -> None:
    """The commands that look at targets, and that go from one layout to another."""
    target = commands.add_parser("target", help="list, show, check and compare targets").add_subparsers(
        required=True, metavar="DO"
    )
    listed = target.add_parser("list", help="the targets that ship")
    shown = target.add_parser("show", help="a target as what it is: its outputs and their channels")
    shown.add_argument("name", metavar="NAME", help="a shipped target, also as NAME@VERSION, or a target document (.json)")
    checked = target.add_parser("check", help="all that is wrong with a target document; exit code 1 when anything is")
    checked.add_argument("file", type=Path, metavar="FILE", help="a target document (.json)")
    compared = target.add_parser("compare", help="what differs between two targets; exit code 1 when anything does")
    for name in ("first", "second"):
        compared.add_argument(name, metavar="NAME", help="a shipped target, also as NAME@VERSION, or a target document (.json)")
    proposed = target.add_parser("propose", help="a target from textures that an engine has: names, channels, sizes, formats")
    proposed.add_argument("folder", type=Path, metavar="DIR", help="a folder of textures, DDS files too")
    proposed.add_argument("--title", required=True, help="what the target is called")
    proposed.add_argument("--out", type=Path, metavar="FILE", help="write the document here")
    proposed.set_defaults(work=_target_propose)
    for command in (listed, shown, checked, compared, proposed):
        command.add_argument("--json", action="store_true", help="print the result as JSON")
    listed.set_defaults(work=_target_list)
    shown.set_defaults(work=_target_show)
    checked.set_defaults(work=_target_check)
    compared.set_defaults(work=_target_compare)
    repack = commands.add_parser("repack", help="bring packed files into any other layout, or take them apart")
    repack.add_argument("files", nargs="+", type=Path, metavar="IN", help="a picture, or a folder of pictures of one layout")
    repack.add_argument(
        "--from",
        dest="source",
        default="measured",
        metavar="LAYOUT",
        help="pairs (R=occlusion,G=1-roughness), TARGET:OUTPUT, or measured",
    )
    repack.add_argument("--to", dest="result", metavar="LAYOUT", help="pairs, TARGET[:OUTPUT], or apart: a map for each property")
    repack.add_argument("--from-normals", default="+Y", choices=("+Y", "-Y"), help="which way normals point in pairs (+Y)")
    repack.add_argument("--to-normals", default="+Y", choices=("+Y", "-Y"), help="which way they are to point (+Y)")
    repack.add_argument("--channel", metavar="LETTERS", help="save these channels as grey maps instead, as they are stored")
    repack.add_argument("--out", required=True, type=Path, metavar="DIR", help="folder to write to; made when missing")
    repack.set_defaults(work=_repack)


def _add_server_commands(commands: Any) -> None:
    """The commands that talk to a server."""
    watch = commands.add_parser("watch", help="send new and changed files of a folder to a server, with an access token")
    watch.add_argument("folder", type=Path, metavar="DIR", help="the folder that your program exports to")
    watch.add_argument("--project", required=True, metavar="NAME", help="the project as its address names it")
    push = commands.add_parser("push", help="send a folder to a server, wait until it is sorted, and say what is open")
    push.add_argument("folder", type=Path, metavar="DIR", help="folder of maps; subfolders are sent too")
    push.add_argument("--project", required=True, metavar="NAME", help="the project as its address names it")
    push.add_argument("--json", action="store_true", help="print how the project stands as JSON")
    pull = commands.add_parser("pull", help="fetch all that a project has decided, as one document")
    pull.add_argument("--out", type=Path, metavar="FILE", help="where to write it (NAME.project.json)")
    rebuild = commands.add_parser("rebuild", help="have the server build all sets that are not built as they are now")
    rebuild.add_argument("--prove", action="store_true", help="encode and measure them too")
    for command in (pull, rebuild):
        command.add_argument("project", metavar="PROJECT", help="the project as its address names it")
    for command in (watch, push, pull, rebuild):
        command.add_argument(
            "--server", default="http://127.0.0.1:8400", metavar="URL", help="the server (http://127.0.0.1:8400)"
        )
        command.add_argument("--token-file", type=Path, metavar="FILE", help="file with the access token; else FAIRTEXEL_TOKEN")
    watch.add_argument("--once", action="store_true", help="send what is there and stop; exit code 1 when a file was refused")
    watch.set_defaults(work=_watch)
    push.set_defaults(work=_push)
    pull.set_defaults(work=_pull)
    rebuild.set_defaults(work=_rebuild)


def _sort(options: argparse.Namespace) -> int:
    from texelcli.folders import sort_folder

    return sort_folder(options.folder, options.document, options.json, options.prepared)


def _check(options: argparse.Namespace) -> int:
    from texelcli.check import check_folder

    reports = {kind: path for kind in ("junit", "sarif", "renames") if (path := getattr(options, kind))}
    rules, document = options.rules, options.document
    return check_folder(options.folder, rules, document, options.target, options.project, options.fail_on, reports, options.json)


def _watch(options: argparse.Namespace) -> int:
    from texelcli.watch import watch

    return watch(options.folder, _server(options), options.once)


def _push(options: argparse.Namespace) -> int:
    from texelcli.machine import push

    return push(options.folder, _server(options), options.json)


def _pull(options: argparse.Namespace) -> int:
    from texelcli.machine import pull

    return pull(_server(options), options.out or Path(f"{options.project}.project.json"))


def _rebuild(options: argparse.Namespace) -> int:
    from texelcli.machine import rebuild

    return rebuild(_server(options), "prove" if options.prove else "build")


def _server(options: argparse.Namespace) -> Server:
    from texelcli.server import server_of

    return server_of(options.server, options.project, options.token_file)


def _ask_for_target(options: argparse.Namespace) -> None:
    if not options.target and not options.document:
        raise TexelError("The target", "is not named.", "Name one with --target, or a project with --project-document.")


def _build(options: argparse.Namespace) -> int:
    from texelcli.folders import build_folder

    _ask_for_target(options)
    return build_folder(options.folder, options.document, options.target, options.out, options.project, options.json)


def _deliver(options: argparse.Namespace) -> int:
    from texelcli.deliver import deliver_folder

    _ask_for_target(options)
    return deliver_folder(
        options.folder, options.document, options.target, options.out, options.project, options.zip, options.json
    )


def _dock(options: argparse.Namespace) -> int:
    from texelcli.deliver import dock_folder

    return dock_folder(options.folder, options.target, options.json)


def _target_list(options: argparse.Namespace) -> int:
    from texelcli.target import list_targets

    return list_targets(options.json)


def _target_show(options: argparse.Namespace) -> int:
    from texelcli.target import show_target

    return show_target(options.name, options.json)


def _target_check(options: argparse.Namespace) -> int:
    from texelcli.target import check_target

    return check_target(options.file, options.json)


def _target_compare(options: argparse.Namespace) -> int:
    from texelcli.target import compare

    return compare(options.first, options.second, options.json)


def _target_propose(options: argparse.Namespace) -> int:
    from texelcli.target import propose

    return propose(options.folder, options.title, options.out, options.json)


def _repack(options: argparse.Namespace) -> int:
    from texelcli.repack import Wanted, repack_files, save_channels

    if options.channel:
        if len(options.files) != 1:
            raise TexelError("--channel", "takes one file.", "Name one picture.")
        return save_channels(options.files[0], options.channel, options.out)
    if not options.result:
        raise TexelError("The layout", "to repack into is not named.", "Name one with --to, or channels with --channel.")
    wanted = Wanted(options.source, options.result, options.from_normals, options.to_normals)
    return repack_files(options.files, wanted, options.out)


def _pack(options: argparse.Namespace) -> int:
    from texelcli.pack import pack

    pack(options.channels, options.out, "srgb" if options.srgb else "linear")
    return DONE


if __name__ == "__main__":
    sys.exit(run())
