"""Which kind a file in a folder belongs to: first by the folders above it, then by its ending.

Used by the folder link. The answer is a kind's code; what fits nothing is a document.
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
    for part in path.parts[:-1]:
        named = _BY_FOLDER.get(part.casefold())
        if named:
            return named
    return _ENDINGS.get(path.suffix.removeprefix(".").casefold(), "documents")
