"""Which kind a file in a folder belongs to: first by the folders above it, then by its ending.

Used by the folder links. The answer is a kind's code; what fits nothing is a document.
"""

from pathlib import PurePosixPath

_BY_FOLDER = {
    "voice": "recordings", "recordings": "recordings", "music": "music",
    "mail": "mail", "apps": "apps", "app data": "app_data", "app_data": "app_data", "card": "card",
}  # fmt: skip
_BY_ENDING = {
    "photos": "jpg jpeg png gif webp heic heif bmp tif tiff dng",
    "videos": "mp4 mov mkv webm avi 3gp m4v",
    "music": "mp3 flac ogg oga aac wma",
    "recordings": "amr opus m4a wav",
    "mail": "eml mbox msg",
    "app_data": "sqlite sqlite3 db",
}
_ENDINGS = {ending: kind for kind, endings in _BY_ENDING.items() for ending in endings.split()}


def kind_of_file(path: PurePosixPath) -> str:
    """The kind of the file at this path, relative to the device's folder."""
    above: str | None = None
    for part in path.parts[:-1]:
        above = kind_below(above, part)
    return kind_of_name(above, path.name)


def kind_below(above: str | None, folder: str) -> str | None:
    """The kind that a folder settles for everything below it; None when endings decide. The outermost one wins."""
    return above or _BY_FOLDER.get(folder.casefold())


def kind_of_name(above: str | None, name: str) -> str:
    """The kind of a file of this name in a folder that settles `above`."""
    stem, dot, ending = name.rpartition(".")
    return above or (_ENDINGS.get(ending.casefold(), "documents") if stem and dot else "documents")
