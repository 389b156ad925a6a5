"""`./attic bench vault`, `nights`, `reliability`, `links`, `screens`, `storage`, `retention`, `checks`, `quotas`, `formats`.

A table on standard output, or JSON with `--json FILE`.
"""

import argparse
import json
import shutil
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from bench.figures import Figure, figures
from bench.links import links
from bench.table import table

WHAT = ("vault", "nights", "reliability", "links", "screens", "storage", "retention", "checks", "quotas", "formats")


def main(argv: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="attic bench", description="Measure. Each figure stands beside a baseline of the same run.")
    parser.add_argument("what", choices=WHAT)
    parser.add_argument("--json", type=Path, metavar="FILE", help="write the figures as JSON; - for standard output instead of the table")
    parser.add_argument("--only", action="append", metavar="NAME", help="only figures whose name begins so; may be repeated")
    parser.add_argument("--megabytes", type=int, default=1000, help="vault: size of the generated content (default 1000)")
    parser.add_argument(
        "--rounds",
        type=int,
        default=3,
        help="vault, links: repetitions of what is timed, best of each side (default 3); reliability: kills",
    )
    parser.add_argument("--devices", type=int, default=500, help="reliability, screens: devices (default 500)")
    parser.add_argument("--nights", type=int, default=1100, help="screens: nights of history (default 1100)")
    parser.add_argument("--days", type=int, default=365, help="nights: length of the simulated year (default 365)")
    parser.add_argument(
        "--folder", type=Path, help="where to work; needs ten times the content's size (default: the system's temporary folder)"
    )
    options = parser.parse_args(argv)
    figures: list[Figure] = []
    for figure in _measured(options):
        figures.append(figure)
        print(f"  {figure.name}: {figure.told}", file=sys.stderr, flush=True)
    document = json.dumps([figure.document() for figure in figures], indent=1)
    if options.json and str(options.json) != "-":
        options.json.write_text(document + "\n")
    print(document if options.json and str(options.json) == "-" else table(figures))
    return 0


def _measured(options: argparse.Namespace) -> Iterator[Figure]:
    if options.what == "nights":
        from bench.nights import nights

        yield from nights(days=options.days, only=options.only or [])
        return
    if options.what == "reliability":
        from bench.reliability import reliability

        folder = Path(tempfile.mkdtemp(prefix="attic-bench-", dir=options.folder))
        try:
            yield from reliability(folder, rounds=options.rounds, devices=options.devices)
        finally:
            shutil.rmtree(folder, ignore_errors=True)
        return
    if options.what == "retention":
        from bench.retention import retention

        yield from retention(rounds=options.rounds, devices=options.devices)
        return
    folder = Path(tempfile.mkdtemp(prefix="attic-bench-", dir=options.folder))
    try:
        if options.what == "screens":
            from bench.screens import screens

            folder.chmod(0o755)
            yield from screens(folder, devices=options.devices, nights=options.nights)
            return
        if options.what == "checks":
            from bench.checks import checks

            folder.chmod(0o755)
            yield from checks(folder, megabytes=options.megabytes, rounds=options.rounds)
            return
        if options.what == "quotas":
            from bench.quotas import quotas

            yield from quotas(folder / "quotas", devices=options.devices)
            return
        if options.what == "formats":
            from bench.formats import formats

            yield from formats(folder, megabytes=options.megabytes, rounds=options.rounds)
            return
        if options.what == "storage":
            from bench.storage import storage

            yield from storage(folder, megabytes=options.megabytes, rounds=options.rounds)
            return
        if options.what == "links":
            yield from links(folder, rounds=options.rounds, only=options.only or [])
            return
        yield from figures(folder, megabytes=options.megabytes, rounds=options.rounds, only=options.only or [])
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
