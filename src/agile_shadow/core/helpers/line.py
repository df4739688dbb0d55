"""The one line that is given to a helper: where to connect, and its certificate."""

from __future__ import annotations

import base64
import binascii
import json
import re
import zlib
from dataclasses import dataclass
from typing import Annotated

from pydantic import Field, ValidationError

from ..errors import ShadowError
from ..strict import Name, Strict
from .certificates import Credentials

_MARK = "shadow1."
_LONGEST = 20_000  # letters
_MOST = 100_000  # bytes unpacked
_PEM = re.compile(r"-----BEGIN ([A-Z ]+)-----\n(.*?)\n-----END \1-----", re.DOTALL)
_KINDS = ("CERTIFICATE", "PRIVATE KEY", "CERTIFICATE")

_Bytes = Annotated[str, Field(max_length=10_000, pattern=r"^[A-Za-z0-9+/=]+$")]


class _Written(Strict):
    a: Annotated[tuple[Name, ...], Field(min_length=1, max_length=100)]
    p: Annotated[int, Field(ge=1, le=65_535)]
    i: Annotated[str, Field(pattern=r"^[0-9a-f]{16}$")]
    c: Annotated[tuple[_Bytes, _Bytes, _Bytes], Field()]


@dataclass(frozen=True)
class JoinLine:
    """``addresses`` of the machine that asks, the ``port`` of its scheduler, the helper's ``identity`` there."""

    addresses: tuple[str, ...]
    port: int
    identity: str
    credentials: Credentials

    def __str__(self) -> str:
        """One word that a terminal, a message and a note hold."""
        given = self.credentials
        bodies = [_body(text) for text in (given.certificate, given.key, given.authority)]
        text = json.dumps({"a": self.addresses, "p": self.port, "i": self.identity, "c": bodies})
        return _MARK + base64.urlsafe_b64encode(zlib.compress(text.encode(), 9)).decode().rstrip("=")

    @classmethod
    def read(cls, text: str) -> JoinLine:
        """Raises ShadowError for what is none."""
        wrong = ShadowError("that is not a whole join line", None, "Copy it once more from the machine that asks.")
        text = "".join(text.split())
        if not text.startswith(_MARK) or len(text) > _LONGEST:
            raise wrong
        body = text[len(_MARK) :]
        try:
            packed = base64.urlsafe_b64decode(body + "=" * (-len(body) % 4))
            unpack = zlib.decompressobj()
            values = unpack.decompress(packed, _MOST)
            if not unpack.eof or unpack.unused_data:
                raise wrong
            read = _Written.model_validate_json(values)
        except (binascii.Error, zlib.error, ValidationError, ValueError) as error:
            raise wrong from error
        pems = [_pem(kind, part) for kind, part in zip(_KINDS, read.c, strict=True)]
        return cls(read.a, read.p, read.i, Credentials(*pems))


def _body(pem: str) -> str:
    found = _PEM.search(pem)
    assert found is not None
    return "".join(found.group(2).split())


def _pem(kind: str, body: str) -> str:
    lines = "\n".join(body[at : at + 64] for at in range(0, len(body), 64))
    return f"-----BEGIN {kind}-----\n{lines}\n-----END {kind}-----\n"
