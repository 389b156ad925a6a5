"""What the simulated cloud refuses, by the codes of the S3 protocol, and how answers are written in XML."""

from xml.sax.saxutils import escape

NAMESPACE = "http://s3.amazonaws.com/doc/2006-03-01/"
"""The protocol's own name of its XML; nothing is fetched from there."""

STATUS = {
    "AccessDenied": 403, "InvalidAccessKeyId": 403, "SignatureDoesNotMatch": 403, "RequestTimeTooSkewed": 403,
    "NoSuchBucket": 404, "NoSuchKey": 404, "NoSuchVersion": 404, "NoSuchUpload": 404, "ObjectLockConfigurationNotFoundError": 404,
    "MethodNotAllowed": 405, "BucketAlreadyOwnedByYou": 409, "PreconditionFailed": 412, "InvalidRange": 416,
    "BadDigest": 400, "XAmzContentSHA256Mismatch": 400, "InvalidRequest": 400, "InvalidPart": 400, "EntityTooSmall": 400,
    "MalformedXML": 400, "InvalidBucketName": 400, "QuotaExceeded": 403, "SlowDown": 503, "InternalError": 500, "NotImplemented": 501,
}  # fmt: skip


class Refused(Exception):
    """The cloud says no, with a code of the protocol."""

    def __init__(self, code: str, says: str = "") -> None:
        super().__init__(code)
        self.code, self.status, self.says = code, STATUS[code], says or code

    def body(self) -> bytes:
        return (
            f'<?xml version="1.0" encoding="UTF-8"?><Error><Code>{self.code}</Code><Message>{escape(self.says)}</Message></Error>'.encode()
        )


def written(root: str, *parts: str) -> bytes:
    """A document of these parts, which are XML already."""
    return f'<?xml version="1.0" encoding="UTF-8"?><{root} xmlns="{NAMESPACE}">{"".join(parts)}</{root}>'.encode()


def tag(name: str, value: object) -> str:
    return f"<{name}>{escape(str(value))}</{name}>"
