"""One file under a passphrase, in a form that common tools open: a ZIP whose only entry is encrypted (AES-256, "AE-2").

The entry is an archive itself, so that no name of what is in it can be read. Written by `pyzipper`. The form stretches a passphrase
little (PBKDF2-HMAC-SHA1, a thousand rounds: WinZip's "AES Encryption Information", from memory), so a long one is asked for.
"""

from collections.abc import Iterable
from datetime import datetime
from typing import IO

import pyzipper
from pyzipper.zipfile_aes import WZ_AES_V2, AESZipInfo

from core.errors import BadInput

LEAST_CHARACTERS = 16
MOST_CHARACTERS = 200


def check_passphrase(passphrase: str, repeated: str) -> None:
    """Raises BadInput."""
    if len(passphrase.strip()) < LEAST_CHARACTERS:
        raise BadInput(
            f"The passphrase has fewer than {LEAST_CHARACTERS} characters.",
            field="passphrase",
            remedy="Whoever has the file can try as many as they like: take five or six unrelated words.",
        )
    if len(passphrase) > MOST_CHARACTERS:
        raise BadInput(f"The passphrase has more than {MOST_CHARACTERS} characters.", field="passphrase", remedy="Take a shorter one.")
    if len(set(passphrase)) < 6:
        raise BadInput("The passphrase repeats a few characters.", field="passphrase", remedy="Take five or six unrelated words.")
    if passphrase != repeated:
        raise BadInput("The two passphrases differ.", field="passphrase_again", remedy="Type the same one twice.")


def lock(into: IO[bytes], name: str, pieces: Iterable[bytes], *, passphrase: str, at: datetime) -> None:
    """`name`: of the archive inside. Raises what `pieces` raise; then `into` holds nothing that can be opened."""
    info = AESZipInfo(name, date_time=(max(1980, at.year), at.month, at.day, at.hour, at.minute, at.second))
    info.create_system, info.external_attr = 3, 0o100600 << 16
    with pyzipper.AESZipFile(into, "w", compression=pyzipper.ZIP_STORED, allowZip64=True) as outer:
        outer.setpassword(passphrase.encode())
        outer.setencryption(pyzipper.WZ_AES, nbits=256, force_wz_aes_version=WZ_AES_V2)
        with outer.open(info, "w", force_zip64=True) as out:
            for piece in pieces:
                out.write(piece)
