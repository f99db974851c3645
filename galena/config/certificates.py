"""An authority of one's own and a certificate for this server, so that the room can use https.

Browsers give a page the camera and the microphone only over https (or on the computer itself). No
public authority vouches for an address in a classroom, so Galena makes an authority once, whose
certificate each device takes as known; with it, it vouches for the addresses that the server has
now. The authority's key never leaves the data folder, and its certificate can vouch for names in
private networks only (RFC 5280, 4.2.1.10).
"""

from __future__ import annotations

import datetime
import ipaddress
import os
from collections.abc import Iterable
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from galena.core.errors import GalenaError

AUTHORITY, AUTHORITY_KEY = "authority.pem", "authority.key"
SERVER, SERVER_KEY = "server.pem", "server.key"
AUTHORITY_LASTS = datetime.timedelta(days=3650)
SERVER_LASTS = datetime.timedelta(days=397)  # browsers take no longer ones
RENEWED_BEFORE = datetime.timedelta(days=30)
SET_BACK = datetime.timedelta(days=1)  # clocks of devices differ
PRIVATE = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "127.0.0.0/8")

Key = ec.EllipticCurvePrivateKey


class CertificateError(GalenaError):
    """No certificate can be made."""


class Authority:
    """The authority in a folder; made where there is none, and anew where it has run out."""

    def __init__(self, folder: Path, now: datetime.datetime | None = None) -> None:
        self.folder, self.now = folder, now or datetime.datetime.now(datetime.UTC)
        self.word = ""  # what is unusual, to be told at the start
        try:
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            self.key, self.certificate = self._read() or self._make()
        except (OSError, ValueError) as error:
            raise CertificateError(
                f"The certificates in {folder} cannot be used ({error}). Move that folder away; "
                "new ones are made at the next start, and devices take those again."
            ) from error

    @property
    def file(self) -> Path:
        """The certificate that devices take as known."""
        return self.folder / AUTHORITY

    @property
    def fingerprint(self) -> str:
        """The SHA-256 of its certificate, as devices show it."""
        return self.certificate.fingerprint(hashes.SHA256()).hex(":").upper()

    def vouch_for(self, hosts: Iterable[str]) -> tuple[Path, Path]:
        """Give the server's certificate and key for names and addresses; made anew where needed.

        Addresses beyond private networks are left out: the authority cannot vouch for them.
        """
        wanted = sorted(host for host in set(hosts) if _is_within(host))
        certificate, key = self.folder / SERVER, self.folder / SERVER_KEY
        if not self._serves(certificate, key, wanted):
            try:
                self._make_server(certificate, key, wanted)
            except OSError as error:
                raise CertificateError(
                    f"{certificate} cannot be written ({error.strerror})."
                ) from error
        return certificate, key

    def _read(self) -> tuple[Key, x509.Certificate] | None:
        if not self.file.exists() or not (self.folder / AUTHORITY_KEY).exists():
            return None
        certificate = x509.load_pem_x509_certificate(self.file.read_bytes())
        if certificate.not_valid_after_utc < self.now + SERVER_LASTS:
            self.word = (
                "The certificate authority of this Galena has run out, and a new one was made: "
                "devices have to take its certificate again."
            )
            return None
        loaded = serialization.load_pem_private_key(
            (self.folder / AUTHORITY_KEY).read_bytes(), password=None
        )
        if not isinstance(loaded, ec.EllipticCurvePrivateKey):
            raise ValueError("the authority's key is of another kind")
        if loaded.public_key() != certificate.public_key():
            raise ValueError("the authority's key and certificate do not belong together")
        return loaded, certificate

    def _make(self) -> tuple[Key, x509.Certificate]:
        key = ec.generate_private_key(ec.SECP256R1())
        called = f"Galena of this room, made {self.now:%Y-%m-%d}"
        name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, called)])
        private = [x509.IPAddress(ipaddress.ip_network(one)) for one in PRIVATE]
        names = [x509.DNSName("local"), x509.DNSName("localhost")]
        certificate = (
            _builder(name, name, key, self.now, AUTHORITY_LASTS)
            .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
            .add_extension(_usage(signs=True), critical=True)
            .add_extension(x509.NameConstraints([*names, *private], None), critical=True)
            .add_extension(
                x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False
            )
            .sign(key, hashes.SHA256())
        )
        _write(self.folder / AUTHORITY_KEY, _pem(key), secret=True)
        _write(self.file, certificate.public_bytes(serialization.Encoding.PEM), secret=False)
        for name_of_old in (SERVER, SERVER_KEY):
            (self.folder / name_of_old).unlink(missing_ok=True)
        return key, certificate

    def _serves(self, certificate: Path, key: Path, hosts: list[str]) -> bool:
        """Tell whether the server's certificate is this authority's, lasts, and names all hosts."""
        if not (certificate.exists() and key.exists()):
            return False
        try:
            kept = x509.load_pem_x509_certificate(certificate.read_bytes())
            names = kept.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
            kept.verify_directly_issued_by(self.certificate)
        except Exception:  # whatever lies there, it is made anew
            return False
        named = {str(one.value) for one in names}
        return set(hosts) <= named and kept.not_valid_after_utc > self.now + RENEWED_BEFORE

    def _make_server(self, certificate: Path, key_file: Path, hosts: list[str]) -> None:
        key = ec.generate_private_key(ec.SECP256R1())
        name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Galena")])
        made = (
            _builder(name, self.certificate.subject, key, self.now, SERVER_LASTS)
            .add_extension(
                x509.SubjectAlternativeName([_named(one) for one in hosts]), critical=False
            )
            .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
            .add_extension(_usage(signs=False), critical=True)
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
            .add_extension(
                x509.AuthorityKeyIdentifier.from_issuer_public_key(self.key.public_key()),
                critical=False,
            )
            .sign(self.key, hashes.SHA256())
        )
        _write(key_file, _pem(key), secret=True)
        _write(certificate, made.public_bytes(serialization.Encoding.PEM), secret=False)


def _is_within(host: str) -> bool:
    """Tell whether the authority can vouch for a name or an address."""
    try:
        address = ipaddress.ip_address(host)
    except ValueError:
        return host == "localhost" or host.endswith(".local")
    return any(address in ipaddress.ip_network(one) for one in PRIVATE)


def _builder(
    name: x509.Name, issuer: x509.Name, key: Key, now: datetime.datetime,
    lasts: datetime.timedelta,
) -> x509.CertificateBuilder:  # fmt: skip
    return (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(issuer)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - SET_BACK)
        .not_valid_after(now - SET_BACK + lasts)
    )


def _usage(*, signs: bool) -> x509.KeyUsage:
    return x509.KeyUsage(
        digital_signature=not signs, key_cert_sign=signs, crl_sign=signs, content_commitment=False,
        key_encipherment=False, data_encipherment=False, key_agreement=False, encipher_only=False,
        decipher_only=False,
    )  # fmt: skip


def _named(host: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ipaddress.ip_address(host))
    except ValueError:
        return x509.DNSName(host)


def _pem(key: Key) -> bytes:
    return key.private_bytes(
        serialization.Encoding.PEM,
        serialization.PrivateFormat.PKCS8,
        serialization.NoEncryption(),
    )


def _write(path: Path, data: bytes, *, secret: bool) -> None:
    """Write a file as a whole or not at all; a secret one is for its owner only."""
    part = path.with_name(path.name + ".part")
    opened = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600 if secret else 0o644)
    with os.fdopen(opened, "wb") as out:
        out.write(data)
        out.flush()
        os.fsync(out.fileno())
    part.replace(path)
