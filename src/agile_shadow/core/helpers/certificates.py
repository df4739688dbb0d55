"""Certificates of one suite: its own authority, one certificate for who asks, one for each helper.

Both ends of every connection show one. A certificate says in its name what its holder is: the one that asks, or a
helper with its identity; nobody takes a helper for the one that asks.

Imports inside functions: the library for certificates is an extra, and imported when one is made or read.
"""

from __future__ import annotations

import datetime
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
    from cryptography.x509 import Certificate, Name

ASKER = "asker"
_HELPER = re.compile(r"helper-([0-9a-f]{16})")
_EARLIER = datetime.timedelta(days=2)  # before now: a helper's clock may be wrong
_LASTS = datetime.timedelta(days=3650)


@dataclass(frozen=True)
class Credentials:
    """What its holder shows and proves: certificate and key, and the authority's certificate, all PEM."""

    certificate: str
    key: str
    authority: str


@dataclass(frozen=True)
class Authority:
    """The suite's own authority: certificate and key, PEM. The key never leaves the machine that asks."""

    certificate: str
    key: str

    @classmethod
    def made(cls) -> Authority:
        """A new one."""
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

        key = Ed25519PrivateKey.generate()
        name = _named("agile-shadow suite")
        return cls(_pem(_signed(name, name, key, key, True)), _key_pem(key))

    def issue(self, holder: str) -> Credentials:
        """A certificate for ASKER or :func:`helper_name`, with a new key."""
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
        from cryptography.hazmat.primitives.serialization import load_pem_private_key
        from cryptography.x509 import load_pem_x509_certificate

        own = load_pem_private_key(self.key.encode(), None)
        assert isinstance(own, Ed25519PrivateKey)
        key = Ed25519PrivateKey.generate()
        issuer = load_pem_x509_certificate(self.certificate.encode()).subject
        made = _signed(_named(holder), issuer, key, own, False)
        return Credentials(_pem(made), _key_pem(key), self.certificate)


def helper_name(identity: str) -> str:
    """The name in a helper's certificate."""
    return f"helper-{identity}"


def helper_of(name: str) -> str | None:
    """The identity of the helper whose certificate bears a name; None for any other."""
    found = _HELPER.fullmatch(name)
    return found.group(1) if found else None


def holder(peer: Any) -> str:
    """The name in a certificate as ``SSLSocket.getpeercert`` gives it; "" where it has none."""
    for part in (peer or {}).get("subject", ()):
        for key, value in part:
            if key == "commonName":
                return str(value)
    return ""


def _named(text: str) -> Name:
    from cryptography.x509 import Name, NameAttribute
    from cryptography.x509.oid import NameOID

    return Name([NameAttribute(NameOID.COMMON_NAME, text)])


def _signed(
    subject: Name, issuer: Name, key: Ed25519PrivateKey, signer: Ed25519PrivateKey, authority: bool
) -> Certificate:
    from cryptography import x509

    now = datetime.datetime.now(datetime.UTC)
    usage = x509.KeyUsage(
        digital_signature=not authority, key_cert_sign=authority, crl_sign=False, content_commitment=False,
        key_encipherment=False, data_encipherment=False, key_agreement=False, encipher_only=False,
        decipher_only=False,
    )  # fmt: skip
    return (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(issuer)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - _EARLIER)
        .not_valid_after(now + _LASTS)
        .add_extension(x509.BasicConstraints(ca=authority, path_length=0 if authority else None), critical=True)
        .add_extension(usage, critical=True)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(signer.public_key()), critical=False)
        .sign(signer, None)
    )


def _pem(certificate: Certificate) -> str:
    from cryptography.hazmat.primitives.serialization import Encoding

    return certificate.public_bytes(Encoding.PEM).decode()


def _key_pem(key: Ed25519PrivateKey) -> str:
    from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

    return key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()).decode()
