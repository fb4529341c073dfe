"""The certificate of the guests' door: the owner's own, or one that is made here and known by its fingerprint."""

import datetime
import ipaddress
import os
import socket
import ssl
from dataclasses import dataclass
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from ribalta.core.base.faults import LocalFault

CERTIFICATE, KEY = "door.crt", "door.key"
OWN, OWN_KEY = "own.crt", "own.key"  # the owner's, if they are there
LASTS_DAYS = 800


@dataclass(frozen=True)
class Certificate:
    """Where it is, and its SHA-256 fingerprint in groups of four digits."""

    certificate: Path
    key: Path
    fingerprint: str


def certificate_in(folder: Path) -> Certificate:
    """The owner's certificate from `own.crt` and `own.key` there, or one that is made once and kept. Raises
    LocalFault when neither can be had."""
    try:
        if (folder / OWN).exists():
            return _known(folder / OWN, folder / OWN_KEY)
        paths = folder / CERTIFICATE, folder / KEY
        if not all(path.exists() for path in paths) or _is_over(paths[0]):
            _make(*paths)
        return _known(*paths)
    except (OSError, ValueError) as error:
        raise LocalFault(f"The certificate of the guests' door in {folder} cannot be used: {error}.") from None


def context(certificate: Certificate) -> ssl.SSLContext:
    """TLS 1.2 or later with it. Raises LocalFault when certificate and key do not belong together."""
    made = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    made.minimum_version = ssl.TLSVersion.TLSv1_2
    try:
        made.load_cert_chain(certificate.certificate, certificate.key)
    except (OSError, ssl.SSLError) as error:
        raise LocalFault(f"The certificate {certificate.certificate} cannot be used: {error}.") from None
    return made


def _known(certificate: Path, key: Path) -> Certificate:
    found = x509.load_pem_x509_certificate(certificate.read_bytes())
    digits = found.fingerprint(hashes.SHA256()).hex().upper()
    return Certificate(certificate, key, " ".join(digits[k : k + 4] for k in range(0, len(digits), 4)))


def _is_over(certificate: Path) -> bool:
    found = x509.load_pem_x509_certificate(certificate.read_bytes())
    return found.not_valid_after_utc < datetime.datetime.now(datetime.UTC)


def _make(certificate: Path, key: Path) -> None:
    certificate.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    secret = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Ribalta on " + socket.gethostname()[:50])])
    now = datetime.datetime.now(datetime.UTC)
    names = [x509.DNSName("localhost"), x509.DNSName(socket.gethostname() or "localhost")]
    addresses = [x509.IPAddress(ipaddress.ip_address(one)) for one in ("127.0.0.1", "::1")]
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(secret.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - datetime.timedelta(days=2))  # a clock that is wrong is no reason to stay out
        .not_valid_after(now + datetime.timedelta(days=LASTS_DAYS))
        .add_extension(x509.SubjectAlternativeName([*names, *addresses]), critical=False)
        .sign(secret, hashes.SHA256())
    )
    private = secret.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    with os.fdopen(os.open(key, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
        file.write(private)
    certificate.write_bytes(made.public_bytes(serialization.Encoding.PEM))
