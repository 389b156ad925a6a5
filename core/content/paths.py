"""Paths of files, as items carry them: text where a path is UTF-8, and its bytes beside a shown name where it is not.

A path comes from an operating system as text in which bytes that are no UTF-8 stand as lone surrogates (PEP 383).
Such text fits into no JSON and no database, so the item gets an id made of the bytes, a name to be shown, and the
attribute `name_bytes`. Two names that show alike have different bytes and stay two items.
"""

from core.content.items import Item, clean_name

NAME_BYTES = "name_bytes"
LINK, LINK_BYTES = "link", "link_bytes"
_ODD = "\ufffd"


def is_text(path: str) -> bool:
    """Whether the path can be written as UTF-8."""
    if path.isascii():
        return True
    try:
        path.encode()
    except UnicodeEncodeError:
        return False
    return True


def item_id(path: str) -> str:
    """The path itself where it is text. Else its bytes in hex behind U+FFFD, as are paths that begin with that character, so
    that no two paths get the same id."""
    if is_text(path) and not path.startswith(_ODD):
        return path
    return _ODD + path_bytes(path).hex()


def name_attribute(path: str) -> dict[str, int | str]:
    """What the item needs so that its path can be had back from it."""
    return {} if is_text(path) and not path.startswith(_ODD) else {NAME_BYTES: path_bytes(path).hex()}


def shown_path(path: str) -> str:
    """For people: control characters removed, bytes that are no text as U+FFFD."""
    return path if path.isprintable() else clean_name(path_bytes(path).decode("utf-8", "replace"))


def path_bytes(path: str) -> bytes:
    """As it lies on the disk."""
    return path.encode("utf-8", "surrogateescape")


def path_of(item: Item) -> str:
    """The path of an item that is a file, as an operating system takes it. Not checked: whoever uses it keeps it in its folder."""
    coded = (item.attributes or {}).get(NAME_BYTES)
    if not isinstance(coded, str):
        return item.id
    try:
        return bytes.fromhex(coded).decode("utf-8", "surrogateescape")
    except ValueError:
        return item.id


def link_attribute(target: str) -> dict[str, int | str]:
    """Where a symbolic link points: `link`, shown, and `link_bytes` beside it where that is no text."""
    if is_text(target):
        return {LINK: target}
    return {LINK: path_bytes(target).decode("utf-8", "replace"), LINK_BYTES: path_bytes(target).hex()}


def link_of(item: Item) -> str | None:
    """Where the item points, when it is a symbolic link, as an operating system takes it; nothing for what no system takes."""
    attributes = item.attributes or {}
    coded, shown = attributes.get(LINK_BYTES), attributes.get(LINK)
    if not isinstance(coded, str):
        if not isinstance(shown, str):
            return None
        try:
            path_bytes(shown)
        except UnicodeEncodeError:
            return ""
        return shown
    try:
        return decoded(bytes.fromhex(coded))
    except ValueError:
        return None


def decoded(path: bytes) -> str:
    """A path from its bytes."""
    return path.decode("utf-8", "surrogateescape")
