"""How a browser is to take a file that it is sent, and under which name."""

from urllib.parse import quote


def disposition(how: str, name: str) -> str:
    """RFC 6266, with the name in UTF-8."""
    plain = "".join(letter if letter.isascii() and letter.isprintable() and letter not in '"\\%' else "_" for letter in name)[:120]
    return f"{how}; filename=\"{plain}\"; filename*=UTF-8''{quote(name[:120], safe='')}"
