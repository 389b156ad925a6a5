"""The command line: `./attic start | test | manage`."""

import argparse
import os
import sys
from pathlib import Path

from launcher.console import StepFailed, Voice, fail
from launcher.setup import PYTHON, ROOT, python_packages, set_up, set_up_vault

_ABOUT = """Old Attic: recurring backups of staff phones and tablets.

  ./attic start                 set up what is missing and start everything, with a made-up demo office
  ./attic start --empty         start with nothing; the browser asks for the first administrator
  ./attic start --port 9000     another port
  ./attic test                  install what is missing and run every check
  ./attic test core             only the tests below one folder
  ./attic test --mutate core/quota   break lines of it one at a time, and say what no test notices
  ./attic vault COMMAND …       the vault by itself: init, backup, list, show, restore, check, repair, remove, sweep, copy, usage, keys
  ./attic bench vault           measure the vault against its limits and against general tools
  ./attic bench screens         measure the interface in a slow browser, with 500 devices and three years of nights
  ./attic manage COMMAND …      Django's own commands
"""


def main() -> int:
    parser = argparse.ArgumentParser(prog="attic", description=_ABOUT, formatter_class=argparse.RawDescriptionHelpFormatter)
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", required=True)
    start = commands.add_parser("start", help="start everything")
    start.add_argument("--port", type=int, default=8100, help="port of the web interface on loopback (default 8100)")
    start.add_argument("--data", type=Path, default=ROOT / "data", metavar="DIR", help="where everything is kept (default: data)")
    start.add_argument(
        "--roots", metavar="DIR:DIR", default="", help="the only folders that may hold stores, devices' folders and old backups"
    )
    start.add_argument("--key", default="", help="where the server's key lies: file:/PATH on a medium, credential:NAME, or typed")
    start.add_argument("--empty", action="store_true", help="no demo data, and no simulated devices")
    start.add_argument("--standins", action="store_true", help="with --empty: simulated devices and a mailbox to try things with")
    test = commands.add_parser("test", help="run every check")
    test.add_argument("only", nargs="*", help="test labels, such as core, server.runs or checks.browser; linters are left out then")
    test.add_argument(
        "--mutate",
        metavar="PACKAGE",
        nargs="*",
        help="break lines of these folders one at a time and say what no test notices; without any: of core, adapters, what changes "
        "rows on the server, and the front end",
    )
    test.add_argument("--seed", type=int, default=1, help="of --mutate: another seed tries another sample")
    test.add_argument("--most", type=int, default=60, help="of --mutate: how many faults are tried of each")
    test.add_argument("--labels", nargs="*", default=[], help="of --mutate: the only tests that are asked")
    vault = commands.add_parser("vault", help="the vault by itself, without database and web", add_help=False)
    vault.add_argument("rest", nargs=argparse.REMAINDER)
    bench = commands.add_parser("bench", help="measure", add_help=False)
    bench.add_argument("rest", nargs=argparse.REMAINDER)
    manage = commands.add_parser("manage", help="Django's own commands", add_help=False)
    manage.add_argument("rest", nargs=argparse.REMAINDER)
    if sys.argv[1:2] in (["vault"], ["bench"], ["manage"]):  # what follows is theirs, options too
        options = argparse.Namespace(command=sys.argv[1], rest=sys.argv[2:])
    else:
        options = parser.parse_args()
    try:
        if options.command == "start":
            from launcher.start import start as run_start

            return run_start(
                port=options.port, data=options.data, empty=options.empty, standins=options.standins, roots=options.roots, key=options.key
            )
        if options.command == "test":
            from launcher.testing import mutate
            from launcher.testing import test as run_tests

            if options.mutate is not None:
                return mutate(options.mutate, seed=options.seed, most=options.most, labels=options.labels)
            return run_tests(options.only)
        if options.command in ("vault", "bench"):
            return _alone(options.command, options.rest)
        return _manage(options.rest)
    except StepFailed as error:
        return fail(str(error))
    except KeyboardInterrupt:
        return fail("stopped")


def _alone(command: str, rest: list[str]) -> int:
    """A command that needs only the vault's own packages; its standard output belongs to it."""
    Voice.out = sys.stderr
    set_up_vault()
    if rest[:1] in (["nights"], ["reliability"], ["links"]):
        python_packages("requirements.lock", "runtime")
    if rest[:1] == ["screens"]:  # the interface in a browser, as the tests have it
        set_up(for_tests=True)
    os.environ["PYTHONPATH"] = str(ROOT)
    os.execv(str(PYTHON), [str(PYTHON), "-m", "commandline" if command == "vault" else "bench", *rest])


def _manage(rest: list[str]) -> int:
    python_packages("requirements.lock", "runtime")
    os.environ["PYTHONPATH"] = str(ROOT)
    os.execv(str(PYTHON), [str(PYTHON), str(ROOT / "server" / "manage.py"), *rest])


if __name__ == "__main__":
    sys.exit(main())
