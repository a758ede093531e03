"""The command line behind `./fern`: the same core as the web, for scripts and for measuring."""

from __future__ import annotations

import argparse
import json
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from fern_ticket.core.errors import FernError, LedgerError

if TYPE_CHECKING:
    from fern_ticket.core.pictures.pyramid import Source
    from fern_ticket.core.source.operation import Opener


def main(arguments: list[str] | None = None) -> int:
    """Run one command. Returns the exit code: 0 done, 2 something a person can mend."""
    options = _parser().parse_args(arguments)
    try:
        code = int(options.run(options) or 0)
        sys.stdout.flush()
        return code
    except FernError as error:
        print(f"fern: {error}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # whoever reads has read enough; the interpreter must not try to write the rest at its end
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        return 130


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="fern", description="Fern Ticket on the command line.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    render = commands.add_parser("render", help="apply a list of steps to a picture file")
    render.add_argument("picture", type=Path, metavar="IN")
    render.add_argument("result", type=Path, metavar="OUT", help=".jpg, .png or .tif")
    render.add_argument("--steps", type=Path, required=True, help="JSON list of steps")
    render.add_argument("--quality", type=int, default=100, help="of a JPEG, 1-100")
    render.set_defaults(run=_render)

    cover = commands.add_parser("cover", help="draw how far a cover covers each pixel, as a grey picture")
    cover.add_argument("picture", type=Path, metavar="IN")
    cover.add_argument("result", type=Path, metavar="OUT", help=".png or .tif")
    cover.add_argument("--cover", type=Path, required=True, help="JSON of a cover")
    cover.add_argument("--colours", type=Path, metavar="OUT", help="write the covered things' own colours too")
    cover.set_defaults(run=_cover)

    inspect = commands.add_parser("inspect", help="measure a picture file, as JSON")
    inspect.add_argument("picture", type=Path, metavar="IN")
    inspect.add_argument("--against", type=Path, metavar="ORIGINAL")
    inspect.add_argument("--slip", type=Path, metavar="SLIP", help="check it against this slip, line by line")
    inspect.set_defaults(run=_inspect)

    ops = commands.add_parser("ops", help="every operation with its JSON schema")
    ops.set_defaults(run=_ops)

    serve = commands.add_parser("serve", help="the web application (started by `fern start`)")
    serve.set_defaults(run=_serve)

    worker = commands.add_parser("worker", help="take part in the background work")
    worker.set_defaults(run=_worker)

    migrate = commands.add_parser("migrate", help="bring the database's schema up to date")
    migrate.set_defaults(run=_migrate)

    demo = commands.add_parser("load-demo", help="load the demo scenario into the database")
    demo.add_argument("--ticket", help="only this ticket of the scenario")
    demo.set_defaults(run=_load_demo)

    first = commands.add_parser("first-path", help="the page on which the first person begins; nothing once one has")
    first.set_defaults(run=_first_path)

    _add_person(commands.add_parser("person", help="add people, set their passwords, list them"))

    backup = commands.add_parser("backup", help="everything as one file, while the application runs")
    backup.add_argument("file", type=Path, metavar="FILE")
    backup.set_defaults(run=_backup)

    restore = commands.add_parser("restore", help="bring a backup back into an empty data folder")
    restore.add_argument("file", type=Path, metavar="FILE")
    restore.add_argument("--check", action="store_true", help="only look whether it is whole")
    restore.set_defaults(run=_restore)

    page = commands.add_parser("ledger-page", help="docs/ledger.md, from the schema")
    page.set_defaults(run=_ledger_page)

    slips = commands.add_parser("slips-page", help="docs/slips.md, from the schema")
    slips.set_defaults(run=_slips_page)

    openapi = commands.add_parser("openapi", help="the OpenAPI document, for generating the page's types")
    openapi.set_defaults(run=_openapi)
    return parser


def _add_person(person: argparse.ArgumentParser) -> None:
    doing = person.add_subparsers(required=True, metavar="add|password|list")
    add = doing.add_parser("add", help="somebody new; the password is asked for, or read from a pipe")
    add.add_argument("sign_in", metavar="SIGN-IN")
    add.add_argument("name", metavar="NAME")
    add.add_argument("--lead", action="store_true", help="who leads keeps people, slips and settings")
    add.set_defaults(run=_person_add)
    password = doing.add_parser("password", help="a new password; it ends the person's sessions")
    password.add_argument("sign_in", metavar="SIGN-IN")
    password.set_defaults(run=_person_password)
    doing.add_parser("list", help="everybody who signs in").set_defaults(run=_person_list)


def _render(options: argparse.Namespace) -> None:
    import numpy as np

    from fern_ticket.core.ledger.masks import BitmapMask
    from fern_ticket.core.ledger.steps import read_steps
    from fern_ticket.core.pictures.decode import decode_file
    from fern_ticket.core.pictures.encode import Encoding, encode, format_of
    from fern_ticket.core.pictures.profiles import srgb_icc
    from fern_ticket.core.pictures.pyramid import ArraySource
    from fern_ticket.core.render.cache import ByteCache
    from fern_ticket.core.render.picture import LedgerPicture
    from fern_ticket.core.settling import settle

    file_format = format_of(options.result)
    if not 1 <= options.quality <= 100:
        raise FernError(f"Quality {options.quality} does not exist.", "Give 1 to 100.")
    steps = read_steps(_json(options.steps))
    decoded = decode_file(options.picture)
    for note in decoded.notes:
        print(f"fern: note: {note}", file=sys.stderr)
    for step in steps:
        if isinstance(step.mask, BitmapMask):
            step.mask.load(options.steps.parent)
    source, cache, beside = ArraySource(decoded), ByteCache(512 << 20), _beside(options.steps)
    for number, step in enumerate(steps):
        steps[number] = settle(source, "command line", steps[:number], step, cache, beside)
    picture = LedgerPicture(source, "command line", steps, cache, beside)
    deep = file_format != "JPEG" and decoded.pixels.dtype == np.uint16
    pixels = picture.deliver(np.uint16 if deep else np.uint8)
    data = encode(pixels, Encoding(file_format, options.quality, icc=srgb_icc(), exif=decoded.exif))
    _write(options.result, data)


def _cover(options: argparse.Namespace) -> None:
    import numpy as np
    from pydantic import ValidationError

    from fern_ticket.core.ledger.covers import Cover
    from fern_ticket.core.ledger.steps import first_problem
    from fern_ticket.core.pictures.decode import decode_file
    from fern_ticket.core.pictures.encode import Encoding, encode, format_of
    from fern_ticket.core.pictures.pyramid import ArraySource
    from fern_ticket.core.render.cache import ByteCache
    from fern_ticket.core.render.picture import LedgerPicture

    file_format = format_of(options.result)
    try:
        cover = Cover.model_validate(_json(options.cover))
    except ValidationError as error:
        raise LedgerError(f"{options.cover} is not a cover: {first_problem(error)}.") from error
    source = ArraySource(decode_file(options.picture))
    picture = LedgerPicture(source, "command line", [], ByteCache(512 << 20), _beside(options.cover))
    share = picture.covered(cover)
    deep = file_format != "JPEG"
    grey = np.round(share * np.float32(65535 if deep else 255)).astype(np.uint16 if deep else np.uint8)
    _write(options.result, encode(np.repeat(grey[..., None], 3, axis=2), Encoding(file_format, 100)))
    if options.colours is not None:
        from fern_ticket.core.cutting.edge_colours import edge_colours

        own = picture.deliver(np.uint16 if format_of(options.colours) != "JPEG" else np.uint8)
        _write(options.colours, encode(edge_colours(own, share), Encoding(format_of(options.colours), 100)))


def _json(path: Path) -> object:
    try:
        found: object = json.loads(path.read_text())
    except OSError as error:
        raise LedgerError(f"{path} cannot be read: {error.strerror}.", "Check the name.") from error
    except (json.JSONDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise LedgerError(f"{path} is not JSON: {error}.") from error
    return found


def _beside(document: Path) -> Opener:
    """Opens pictures that a document names, from the folder that it lies in; each once."""
    from functools import lru_cache

    from fern_ticket.core.pictures.decode import decode_file
    from fern_ticket.core.pictures.pyramid import ArraySource

    @lru_cache(maxsize=16)
    def opened(name: str) -> Source:
        return ArraySource(decode_file(document.parent / name))

    return opened


def _write(result: Path, data: bytes) -> None:
    """Whole or not at all."""
    part = result.with_name(result.name + ".part")
    try:
        part.write_bytes(data)
        part.replace(result)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise FernError(f"{result} cannot be written: {error.strerror}.", "Check the folder.") from error


def _inspect(options: argparse.Namespace) -> None:
    from fern_ticket.core.inspect.files import inspect_file, read_file

    if options.slip is None:
        found: object = inspect_file(options.picture, options.against)
    else:
        from fern_ticket.core.slips.files import measures_of_file
        from fern_ticket.core.slips.lines import all_hold
        from fern_ticket.core.slips.slip import read_slip

        slip = read_slip(read_file(options.slip))
        original = None if options.against is None else read_file(options.against)
        measures = measures_of_file(read_file(options.picture), slip, options.picture.name, original=original)
        verdicts = slip.verdicts(measures)
        found = {
            "slip": slip.name,
            "holds": all_hold(verdicts),
            "lines": [verdict.model_dump(exclude_none=True) for verdict in verdicts],
        }
    print(json.dumps(found, indent=2, ensure_ascii=False))


def _ops(_: argparse.Namespace) -> None:
    from fern_ticket.core.operations import describe

    print(json.dumps(describe(), indent=2))


def _ledger_page(_: argparse.Namespace) -> None:
    from fern_ticket.core.ledger.describing import ledger_page
    from fern_ticket.core.operations import describe

    print(ledger_page(describe()), end="")


def _slips_page(_: argparse.Namespace) -> None:
    from fern_ticket.core.slips.describing import slips_page

    print(slips_page(), end="")


def _serve(_: argparse.Namespace) -> None:
    from fern_ticket.web.serving import serve

    serve()


def _worker(_: argparse.Namespace) -> None:
    import asyncio

    from fern_ticket.jobs.worker import run_worker

    asyncio.run(run_worker())


def _migrate(_: argparse.Namespace) -> None:
    from fern_ticket.jobs.queue import prepare_database
    from fern_ticket.settings import settings

    prepare_database(settings().database_url)


def _load_demo(options: argparse.Namespace) -> None:
    import asyncio

    from fern_ticket.settings import settings
    from fern_ticket.web.demo import load_demo

    asyncio.run(load_demo(settings(), options.ticket))


def _first_path(_: argparse.Namespace) -> None:
    import asyncio

    from fern_ticket.settings import settings
    from fern_ticket.web.common.first import first_path
    from fern_ticket.web.people_commands import nobody_is_here

    if asyncio.run(nobody_is_here(settings())):
        print(first_path(settings().data))


def _backup(options: argparse.Namespace) -> None:
    from fern_ticket.settings import settings
    from fern_ticket.store.moving.backup import back_up

    count = back_up(settings().data, settings().database_url, options.file)
    print(f"{options.file}: {count} files, {options.file.stat().st_size / 1e6:.1f} MB. It holds secrets: keep it safe.")


def _restore(options: argparse.Namespace) -> None:
    from fern_ticket.settings import settings
    from fern_ticket.store.moving.backup import bring_back, check_backup

    if options.check:
        print(f"{options.file} is whole: {len(check_backup(options.file))} files.")
        return
    count = bring_back(options.file, settings().data, settings().database_url)
    print(f"{count} files are back. Start with ./fern start --data {settings().data}")


def _person_add(options: argparse.Namespace) -> None:
    import asyncio

    from fern_ticket.settings import settings
    from fern_ticket.web import people_commands

    role = people_commands.role_of(lead=options.lead)
    asyncio.run(people_commands.add(settings(), options.sign_in, options.name, role, _password()))
    print(f"{options.name} can sign in as {options.sign_in}.")


def _person_password(options: argparse.Namespace) -> None:
    import asyncio

    from fern_ticket.settings import settings
    from fern_ticket.web import people_commands

    asyncio.run(people_commands.set_password(settings(), options.sign_in, _password()))
    print(f"{options.sign_in} has a new password; whoever was signed in so is signed out.")


def _person_list(_: argparse.Namespace) -> None:
    import asyncio

    from fern_ticket.settings import settings
    from fern_ticket.web import people_commands

    for one in asyncio.run(people_commands.listed(settings())):
        state = "inactive" if one.inactive else one.role
        print(f"{one.sign_in:24} {state:9} {one.name}")


def _password() -> str:
    """Asked for on a terminal, else the first line that comes in."""
    import getpass

    if sys.stdin.isatty():
        return getpass.getpass("password (twelve characters or more): ")
    return sys.stdin.readline().rstrip("\n")


def _openapi(_: argparse.Namespace) -> None:
    from fern_ticket.settings import Settings
    from fern_ticket.web.app import create_app

    print(json.dumps(create_app(Settings()).openapi(), indent=1))


if __name__ == "__main__":
    sys.exit(main())
