"""The words of the command line."""

import argparse
from collections.abc import Callable
from importlib import import_module
from pathlib import Path

_ABOUT = """The vault by itself: encrypted, deduplicated backups of folders in a folder or a bucket.

  ./attic vault init /srv/store --passphrase-file pass
  ./attic vault backup /srv/store ~/phone --device "Shore 3" --passphrase-file pass
  ./attic vault list /srv/store --passphrase-file pass
  ./attic vault restore /srv/store newest out --passphrase-file pass
  ./attic vault init s3://bucket/prefix --endpoint https://cloud.example --same-key-as /srv/store --passphrase-file pass
  ./attic vault copy /srv/store s3://bucket/prefix --to-endpoint https://cloud.example --passphrase-file pass

STORE is a folder or s3://bucket/prefix. Credentials of a bucket come from the environment (AWS_ACCESS_KEY_ID,
AWS_SECRET_ACCESS_KEY) or the usual files. BACKUP is an id, its beginning, or the word newest.

exit codes: 0 done · 1 damage, or items were left out · 2 usage · 3 wrong passphrase · 4 no such store, or it cannot
be reached · 5 full"""


def _does(name: str) -> Callable[[argparse.Namespace], int]:
    """`room.function` that carries a command out; its libraries are loaded only when it is called."""
    room, _, function = name.partition(".")

    def run(options: argparse.Namespace) -> int:
        code: int = getattr(import_module(f"commandline.{room}"), function)(options)
        return code

    return run


def parser() -> argparse.ArgumentParser:
    top = argparse.ArgumentParser(prog="attic vault", description=_ABOUT, formatter_class=argparse.RawDescriptionHelpFormatter)
    commands = top.add_subparsers(metavar="COMMAND", required=True)

    init = _command(
        commands, "init", _does("upkeep.init"), "prepare an empty folder or bucket; prints the recovery code", "init /srv/store"
    )
    init.add_argument("--same-key-as", metavar="OTHER", help="take the key of another store, so that copies move without being sealed anew")
    _secret(init, "other", "the store that lends its key")

    backup = _command(
        commands, "backup", _does("backups.backup"), "take a backup of a folder", 'backup /srv/store ~/phone --device "Shore 3"'
    )
    backup.add_argument("folder", metavar="FOLDER")
    backup.add_argument("--device", required=True, metavar="NAME", help="whose backup this is")
    backup.add_argument("--note", default="", metavar="TEXT")
    _secret(backup, "device", "a sealed device")

    command = _command(commands, "list", _does("listing.list_backups"), "every backup, newest first", "list /srv/store --json")
    command.add_argument("--device", metavar="NAME", help="only this device's")

    show = _command(commands, "show", _does("looking.show"), "what is in a backup", "show /srv/store newest --path photos")
    show.add_argument("backup", metavar="BACKUP")
    show.add_argument("--path", metavar="P", help="only this item, or what lies below this folder")
    _secret(show, "device", "a sealed device")

    restore = _command(
        commands, "restore", _does("backups.restore"), "write a backup into an empty folder", "restore /srv/store newest out --kind photos"
    )
    restore.add_argument("backup", metavar="BACKUP")
    restore.add_argument("dest", metavar="DEST", help="an empty folder, or one that does not exist yet")
    restore.add_argument("--path", action="append", metavar="P", help="only this item, or what lies below this folder; may be repeated")
    restore.add_argument("--kind", action="append", metavar="K", help="only this kind of content, such as photos; may be repeated")
    _secret(restore, "device", "a sealed device")

    check = _command(commands, "check", _does("upkeep.check_store"), "prove that what is stored is intact", "check /srv/store --sample 10")
    how = check.add_mutually_exclusive_group()
    how.add_argument("--sample", type=float, metavar="N", help="read N per cent of the packs, chosen at random")
    how.add_argument("--full", action="store_true", help="read everything")
    check.add_argument(
        "--remember",
        type=Path,
        metavar="FILE",
        help="keep here, outside of the store, what was there: finds a store that was put back whole",
    )

    repair = _command(
        commands,
        "repair",
        _does("upkeep.repair_store"),
        "mend what a check found, from another store or from what is there",
        "repair /srv/store --from /mnt/copy",
    )
    repair.add_argument("--from", dest="source", metavar="OTHER", help="a store that has the same backups")
    repair.add_argument("--from-endpoint", metavar="URL")
    _secret(repair, "from", "the other store")

    remove = _command(commands, "remove", _does("upkeep.remove"), "forget backups at once", "remove /srv/store 3f09ab")
    remove.add_argument("backup", nargs="+", metavar="BACKUP")

    sweep = _command(commands, "sweep", _does("upkeep.sweep_store"), "get the space of removed backups back", "sweep /srv/store --dry-run")
    sweep.add_argument(
        "--take-over", action="store_true", help="sweep although a server has said that it does: it is gone for good, or will be told"
    )
    sweep.add_argument("--dry-run", action="store_true", help="only tell what would be freed once it is carried through")
    sweep.add_argument(
        "--grace", type=float, metavar="SECONDS", help="how long marked packs stay (default a day); 0 only while nobody else writes"
    )

    sweep.add_argument("--waste", type=float, metavar="N", help="rewrite packs of which more than N per cent is not needed (default 33)")

    copy = _command(
        commands, "copy", _does("upkeep.copy_store"), "copy backups to another store", "copy /srv/store /mnt/drive", first="FROM"
    )
    copy.add_argument("to", metavar="TO")
    copy.add_argument("--backup", action="append", metavar="B", help="only this one; may be repeated")
    copy.add_argument("--to-endpoint", metavar="URL")
    _secret(copy, "to", "TO")

    move = _command(
        commands,
        "move",
        _does("move.move_store"),
        "bring a whole store to another place as it lies; nobody may write into it meanwhile",
        "move /srv/store s3://bucket/prefix --to-endpoint https://cloud.example",
        first="FROM",
        own_secret=True,
    )
    move.add_argument("to", metavar="TO")
    move.add_argument("--to-endpoint", metavar="URL")

    usage = _command(commands, "usage", _does("upkeep.usage"), "what backups cost, and what removing them frees", "usage /srv/store newest")
    usage.add_argument("backup", nargs="*", metavar="BACKUP")

    _keys(commands)
    return top


def _keys(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    group = commands.add_parser("keys", help="who can open a store: add, change, remove, list").add_subparsers(
        metavar="COMMAND", required=True
    )
    _command(group, "list", _does("keys.list_slots"), "every slot, never its secret", "keys list /srv/store")
    add = _command(
        group, "add", _does("keys.add"), "another passphrase, recovery code, or a device's own key", "keys add /srv/store --recovery-code"
    )
    add.add_argument("--recovery-code", action="store_true", help="make a code instead of taking a passphrase")
    add.add_argument("--label", metavar="TEXT", help="whose it is")
    add.add_argument("--device", metavar="NAME", help="seal this device with a passphrase of its own, or add one to its own")
    _secret(add, "new", "what is added")
    _secret(add, "device", "a sealed device")
    change = _command(
        group,
        "change",
        _does("keys.change"),
        "another passphrase instead of the given one",
        "keys change /srv/store --new-passphrase-file new --passphrase-file old",
        own_secret=True,
    )
    change.add_argument("--slot", metavar="SLOT", help="only this one, where the same passphrase opens several")
    change.add_argument("--device", metavar="NAME", help="that of a sealed device")
    _secret(change, "new", "the new one")
    _secret(change, "device", "the sealed device")
    remove = _command(group, "remove", _does("keys.remove"), "a slot goes; the last one stays", "keys remove /srv/store 3f09ab")
    remove.add_argument("slot", metavar="SLOT")


def _command(
    commands: "argparse._SubParsersAction[argparse.ArgumentParser]",
    name: str,
    run: Callable[[argparse.Namespace], int],
    what: str,
    example: str,
    *,
    first: str = "STORE",
    own_secret: bool = False,
) -> argparse.ArgumentParser:
    """`own_secret`: the example says itself where the passphrase comes from."""
    shown = example if own_secret else f"{example} --passphrase-file pass"
    parser: argparse.ArgumentParser = commands.add_parser(
        name, help=what, description=f"{what[0].upper()}{what[1:]}.", epilog=f"example: ./attic vault {shown}"
    )
    parser.set_defaults(run=run)
    parser.add_argument("store", metavar=first, help="a folder, or s3://bucket/prefix")
    parser.add_argument("--endpoint", metavar="URL", help="address of an S3-compatible service")
    parser.add_argument("--json", action="store_true", help="one JSON document on standard output, nothing else")
    _secret(parser, "", first)
    return parser


def _secret(parser: argparse.ArgumentParser, whose: str, what: str) -> None:
    """--passphrase-file and --passphrase-fd, or --WHOSE-passphrase-file and so on."""
    prefix = f"--{whose}-" if whose else "--"
    group = parser.add_mutually_exclusive_group()
    group.add_argument(f"{prefix}passphrase-file", type=Path, metavar="FILE", help=f"passphrase of {what}; without it you are asked")
    group.add_argument(f"{prefix}passphrase-fd", type=int, metavar="N", help=f"read the passphrase of {what} from this descriptor")
