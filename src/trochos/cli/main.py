"""Argument parsing, and what each command prints and returns."""

from __future__ import annotations

import argparse
import json
import os
import sys
import time
from collections.abc import Callable
from pathlib import Path

from ..core.change.unmask import mask_edits, secrets_in
from ..core.diagnosis.audit import Expectation, ExpectationError, parse_expectations
from ..core.diagnosis.trials import Progress
from ..core.forwarding.endpoints import EndpointError
from ..core.forwarding.traffic import Traffic, read_traffic
from ..core.network.addressing import Address
from ..core.network.documents import apart
from ..core.network.edits import EditError, read_edits
from ..core.network.quiet import without_collecting
from ..core.survey import Computed
from ..core.whole.questions import Watch
from ..cores import on_all_cores
from ..gather.kit import script
from ..local import InputError, fingerprint_key, in_time
from . import tables
from .gathering import run_gather
from .junit import write_junit
from .loading import load, load_files, stored_number, write_changed

SECONDS = 40.0
"""How long a diagnosis may take; the best answer so far is given then."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        raise InputError(f"{message[:1].upper()}{message[1:]}. See ./trochos {self.prog_tail()}.")

    def prog_tail(self) -> str:
        return self.prog.partition(" ")[2] + " --help" if " " in self.prog else "--help"


def build_parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="trochos", description="Find where a packet dies, and why.")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)

    def command(name: str, help: str, run: Callable[[argparse.Namespace], int]) -> _Parser:
        sub = commands.add_parser(name, help=help, description=help)
        sub.add_argument(
            "survey",
            metavar="SURVEY",
            help="a folder, a .zip or .tar.gz of one, or a stored survey's id",
        )
        sub.add_argument("--json", action="store_true", help="print one JSON document")
        sub.set_defaults(run=run)
        return sub

    routes = command("routes", "every device's table as its configuration implies it", run_routes)
    routes.add_argument("--device", help="only this device")
    routes.add_argument("--all", action="store_true", help="candidates that lost, too")
    routes.add_argument("--why", metavar="PREFIX", help="why a prefix is there, or is not")

    path = command("path", "both legs of a conversation, hop by hop", run_path)
    _ends(path)

    reach = command("reach", "every device to every address of every other device", run_reach)
    reach.add_argument("--from", dest="sender", metavar="DEVICE")
    reach.add_argument("--to", dest="receiver", metavar="DEVICE|ADDRESS")
    reach.add_argument("--summary", action="store_true", help="counts only")

    neighbours = command(
        "neighbours", "every pair of ends that are or should be neighbours", run_neighbours
    )
    neighbours.add_argument("--device", help="only pairs with this device")

    ladder = command("ladder", "rung by rung from the host outward", run_ladder)
    _ends(ladder)

    diagnose = command("diagnose", "the causes of one complaint, proven", run_diagnose)
    _ends(diagnose)
    diagnose.add_argument(
        "--before", metavar="OLD", help="an older survey: which of two that differ was there first"
    )

    rehearse = command("rehearse", "what a change would heal, break and move", run_rehearse)
    rehearse.add_argument(
        "--change", required=True, metavar="FILE", help='{"edits": [...]}, or - for standard input'
    )
    rehearse.add_argument(
        "--out", metavar="NEW", help="a folder to make, with the texts devices would then hold"
    )
    rehearse.add_argument(
        "--accept-unknown-lines",
        action="store_true",
        help="write --out although lines of the change are not understood",
    )

    rehearse.add_argument(
        "--order", action="store_true", help="find the order of steps in which nothing is cut"
    )
    rehearse.add_argument(
        "--from-host", metavar="HOST", help="where you sit: no step cuts your way to the rest"
    )

    compare = command("compare", "what differs between two surveys", run_compare)
    compare.add_argument("other", metavar="NEW", help="the later survey")

    desk = command("desk", "what fails now, grouped by cause", run_desk)
    desk.add_argument("--before", metavar="OLD", help="an older survey: what turned since")

    since = command("since", "which differences since an older survey broke a complaint", run_since)
    _ends(since)
    since.add_argument("--worked", required=True, metavar="OLD", help="a survey on which it worked")

    command("unknowns", "what was not read, and which answers hang on it", run_unknowns)

    sweep = command("sweep", "every single failure of a link or a device", run_sweep)
    sweep.add_argument("--links", action="store_true", help="links only, unless --devices too")
    sweep.add_argument("--devices", action="store_true", help="devices only, unless --links too")
    sweep.add_argument("--expect", metavar="FILE", help="expectations that are to survive")

    audit = command("audit", "checks what must, and must not, reach what", run_audit)
    audit.add_argument(
        "--expect", metavar="FILE", help="the expectations; without it those of the survey"
    )
    audit.add_argument("--junit", metavar="FILE", help="a report for build servers, as XML")

    gather = commands.add_parser(
        "gather", help="collects from live devices", description="Collects from live devices."
    )
    gather.add_argument("inventory", metavar="INVENTORY", help="a YAML list of devices")
    gather.add_argument("--out", required=True, metavar="SURVEY", help="a folder to make")
    gather.add_argument("--title", help="what the survey is called")
    gather.add_argument("--topology", metavar="FILE", help="the wiring, if somebody keeps one")
    gather.add_argument("--at-once", type=int, default=24, metavar="N", help="devices at a time")
    gather.add_argument(
        "--trust", action="append", default=[], metavar="DEVICE=KEY", help="a key you compared"
    )
    gather.add_argument(
        "--trust-new", action="store_true", help="trust every key that is shown the first time"
    )
    gather.add_argument(
        "--probe",
        action="append",
        default=[],
        metavar="DEVICE=ADDRESS",
        help="let a device ask for an address, and keep what it saw in the survey",
    )
    gather.add_argument("--json", action="store_true", help="print one JSON document")
    gather.set_defaults(run=run_gather)

    kit = commands.add_parser(
        "kit",
        help="prints a script that reads one Linux or FRR device",
        description="Prints one POSIX shell script. Run on a Linux or FRR router or host, it only "
        "reads, takes secrets out, and leaves one archive to be uploaded or named as SURVEY.",
    )
    kit.set_defaults(run=run_kit)

    command("inspect", "the reading report and all findings", run_inspect)
    return parser


def _ends(parser: _Parser) -> None:
    """What says who talks to whom, and with which packet."""
    parser.add_argument("sender", metavar="FROM")
    parser.add_argument("receiver", metavar="TO")
    parser.add_argument("--source", metavar="ADDRESS", help="the source address to send from")
    parser.add_argument("--protocol", metavar="icmp|tcp|udp")
    parser.add_argument("--port", metavar="N")
    parser.add_argument("--service", metavar="S", help="such as tcp/5432, udp 53, 8080 or https")
    parser.add_argument("--size", metavar="BYTES", help="size of the whole IP packet")
    parser.add_argument("--dont-fragment", action="store_true")
    parser.add_argument(
        "--instance", metavar="NAME", help="the routing instance of FROM, if it lives in several"
    )


def _print(document: object) -> None:
    _write(apart(document))


def _write(document: object) -> None:
    json.dump(document, sys.stdout, ensure_ascii=False, separators=(",", ":"))
    sys.stdout.write("\n")


def run_routes(options: argparse.Namespace) -> int:
    survey = load(options.survey)
    if options.device is not None and survey.network.device(options.device) is None:
        raise InputError(f"The survey has no device called {options.device!r}.")
    if options.why is not None:
        chains = survey.why(options.why, options.device)
        _print(chains) if options.json else tables.why(chains)
        return 0
    document = survey.routes_json(options.device, options.all)
    _print(document) if options.json else tables.routes(document)
    return 0


def _traffic(options: argparse.Namespace) -> Traffic:
    return read_traffic(vars(options))


def run_path(options: argparse.Namespace) -> int:
    traffic = _traffic(options)
    survey = load(options.survey)
    path = survey.path(options.sender, options.receiver, traffic)
    _print(path.as_nodes()) if options.json else tables.path(path.as_nodes())
    return 0 if path.works == "yes" else 1


def run_ladder(options: argparse.Namespace) -> int:
    traffic = _traffic(options)
    found = load(options.survey).ladder(options.sender, options.receiver, traffic)
    document = found.as_nodes()
    _print(document) if options.json else tables.ladder(document)
    return 0 if found.first_failing is None else 1


def _progress() -> Progress:
    """Says on standard error what is tried, if somebody watches, and stops in time."""
    started = time.monotonic()
    watched = sys.stderr.isatty()

    def progress(tried: int, of: int, what: str) -> bool:
        if watched:
            sys.stderr.write(f"\r\x1b[Ktried {tried} of at most {of}: {what[:90]}")
            if tried == of:
                sys.stderr.write("\n")
        return time.monotonic() - started < SECONDS

    return progress


def run_diagnose(options: argparse.Namespace) -> int:
    traffic = _traffic(options)
    survey = load(options.survey)
    before = load(options.before) if options.before is not None else None
    watch = in_time(len(survey.network.devices), _progress())
    found = survey.diagnose(options.sender, options.receiver, traffic, watch, before)
    document = found.as_nodes()
    _print(document) if options.json else tables.diagnosis(document)
    return 0 if found.path.works == "yes" else 1


def _watch(seconds: float = SECONDS) -> Watch:
    """Says on standard error how far a search is, if somebody looks, and stops in time."""
    started, watched = time.monotonic(), sys.stderr.isatty()

    def watch(done: int, of: int, what: str) -> bool:
        if watched:
            sys.stderr.write(f"\r\x1b[K{done}{f' of {of}' if of else ''}: {what[:90]}")
        return time.monotonic() - started < seconds

    return watch


def run_desk(options: argparse.Namespace) -> int:
    before = load(options.before) if options.before is not None else None
    found = load(options.survey).desk(before, _watch())
    document = found.as_nodes()
    _print(document) if options.json else tables.desk(document)
    return 1 if found.fails else 0


def run_since(options: argparse.Namespace) -> int:
    traffic = _traffic(options)
    survey, worked = load(options.survey), load(options.worked)
    found = survey.since(options.sender, options.receiver, worked, traffic, _watch())
    document = found.as_nodes()
    _print(document) if options.json else tables.since(document)
    return 0 if found.path.works == "yes" else 1


def run_unknowns(options: argparse.Namespace) -> int:
    found = load(options.survey).unknowns(_watch())
    document = found.as_nodes()
    _print(document) if options.json else tables.unknowns(document)
    return 1 if found.questions else 0


def run_sweep(options: argparse.Namespace) -> int:
    survey = load(options.survey)
    expected = None
    if options.expect is not None:
        expected = _expectations(options.expect, survey)
    both = options.links == options.devices
    found = survey.sweep(
        options.links or both,
        options.devices or both,
        expected,
        _watch(900.0),
        each=on_all_cores,
    )
    document = found.as_nodes()
    _print(document) if options.json else tables.sweep(document)
    return 1 if any(failure.expectations for failure in found.failures) else 0


def run_rehearse(options: argparse.Namespace) -> int:
    typed = read_edits(_change(options.change))
    edits = mask_edits(typed, fingerprint_key())
    files = load_files(options.survey) if not stored_number(options.survey) else None
    survey = load(options.survey)
    rehearsal = survey.rehearse(edits)
    unknown = rehearsal.not_understood
    if unknown and not options.accept_unknown_lines:
        first = unknown[0]
        print(
            f"trochos: The change holds {len(unknown)} line(s) that are not understood, such as "
            f"{first['text']!r} on {first['device']}. Nothing is written; --accept-unknown-lines "
            "takes them on.",
            file=sys.stderr,
        )
    elif options.out is not None:
        if files is None:
            raise InputError("--out copies from a folder or an archive, not from a stored survey.")
        write_changed(options.out, files, survey, edits, secrets_in(typed, fingerprint_key()))
    document = rehearsal.as_nodes()
    found = None
    if options.order or options.from_host is not None:
        found = survey.order(edits, options.from_host, _watch())
        document["order"] = found.as_nodes()
    _print(document) if options.json else tables.rehearsal(document)
    refused = bool(unknown) and not options.accept_unknown_lines
    unsafe = found is not None and not found.safe
    return 1 if rehearsal.effect.breaks or refused or unsafe else 0


def _change(name: str) -> object:
    """The document of a change.

    Raises:
        InputError: it cannot be read, or is not JSON.
    """
    try:
        text = sys.stdin.read() if name == "-" else Path(name).read_text(encoding="utf-8")
        return json.loads(text)
    except OSError as error:
        raise InputError(f"{name} cannot be read: {error.strerror or error}.") from error
    except ValueError as error:
        raise InputError(f"{name} is not JSON: {error}.") from error


def run_audit(options: argparse.Namespace) -> int:
    survey = load(options.survey)
    results = survey.audit(_expectations(options.expect, survey), _watch())
    if options.junit is not None:
        write_junit(options.junit, results)
    document = {"results": [result.as_json() for result in results]}
    _print(document) if options.json else tables.audit(document)
    return 0 if all(result.holds for result in results) else 1


def _expectations(name: str | None, survey: Computed) -> list[Expectation]:
    """The expectations of a file, or those that came with the survey.

    Raises:
        InputError: there are none.
        ExpectationError: they cannot be used.
    """
    if name is None:
        held = survey.survey.expectations
        if held is None:
            raise InputError("The survey has no expectations.yaml. Name a file with --expect.")
        text = held
    else:
        try:
            text = Path(name).read_text(encoding="utf-8")
        except OSError as error:
            raise InputError(f"{name} cannot be read: {error.strerror or error}.") from error
        except UnicodeDecodeError as error:
            raise InputError(f"{name} is not text, so it holds no expectations.") from error
    return parse_expectations(text)


def run_compare(options: argparse.Namespace) -> int:
    found = load(options.survey).compare(load(options.other))
    document = found.as_nodes()
    _print(document) if options.json else tables.comparison(document)
    return 0 if found.same else 1


def run_reach(options: argparse.Namespace) -> int:
    survey = load(options.survey)
    senders: set[str] | None = None
    targets: set[Address] | None = None
    if options.sender is not None:
        senders = {survey.device_named(options.sender)}
    if options.receiver is not None:
        targets = survey.addresses_named(options.receiver)
    if options.summary and senders is None and targets is None:
        document = survey.reach.summary()
        _print(document) if options.json else tables.summary(document)
        return 0
    pairs = [pair.as_json() for pair in survey.reach.pairs(senders, targets)]
    if options.summary:
        document = tables.count(pairs)
        _print(document) if options.json else tables.summary(document)
        return 0
    if options.json:
        _write({"pairs": pairs})  # rows name instances themselves; there may be millions
    else:
        tables.pairs(pairs)
    return 0


def run_kit(options: argparse.Namespace) -> int:
    sys.stdout.write(script())
    return 0


def run_neighbours(options: argparse.Namespace) -> int:
    survey = load(options.survey)
    if options.device is not None and survey.network.device(options.device) is None:
        raise InputError(f"The survey has no device called {options.device!r}.")
    document = survey.neighbours_json(options.device)
    _print(document) if options.json else tables.neighbours(document)
    return 0


def run_inspect(options: argparse.Namespace) -> int:
    survey = load(options.survey)
    document = survey.inspect_json()
    _print(document) if options.json else tables.inspect(document)
    return 1 if any(f["severity"] == "breaks" for f in document["findings"]) else 0


def main(arguments: list[str] | None = None) -> int:
    """Runs one command; returns its exit status (0 well, 1 not well, 2 could not be used)."""
    try:
        options = build_parser().parse_args(arguments)
        if options.run is run_gather:
            return int(options.run(options))
        # A command ends soon, and what it builds is hardly ever cyclic.
        with without_collecting():
            return int(options.run(options))
    except (InputError, EndpointError, EditError, ExpectationError) as error:
        print(f"trochos: {error}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read our output has gone; there is nobody left to tell.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        print("trochos: stopped.", file=sys.stderr)
        return 2
    except MemoryError:
        print("trochos: the survey is too large for this machine's memory.", file=sys.stderr)
        return 2
    except Exception as error:
        if os.environ.get("TROCHOS_TRACE"):
            raise
        print(
            f"trochos: something went wrong here that nobody expected ({type(error).__name__}). "
            "Nothing was changed. With TROCHOS_TRACE=1 set, the same call shows where.",
            file=sys.stderr,
        )
        return 2
