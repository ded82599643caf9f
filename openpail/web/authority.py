"""The dairy's own authority: what lets a phone on the farm's network trust this machine by https.

No public authority vouches for a name that only a farm knows. So the dairy makes one of its own,
which a phone is told to trust once. Its certificate says that it speaks for private names and
addresses alone: whoever steals its key can pretend to be no bank.
"""

from __future__ import annotations

import os
import socket
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from ipaddress import IPv4Network, IPv6Network, ip_address, ip_network
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

AUTHORITY_LASTS = timedelta(days=3650)
LASTS = timedelta(days=397)  # phones believe no longer one
RENEWED_BEFORE = timedelta(days=30)
_NETS = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "127.0.0.0/8", "169.254.0.0/16")
_NETS_6 = ("fc00::/7", "fe80::/10", "::1/128")
_NAMES = ("localhost", "local", "lan", "home.arpa", "internal")


@dataclass(frozen=True, slots=True)
class Papers:
    """Where the authority's certificate lies, and the server's with its key."""

    authority: Path
    certificate: Path
    key: Path


def papers(folder: Path, names: Sequence[str], now: datetime) -> Papers:
    """The papers of a server, made where there are none, and anew where they will not do.

    Parameters: folder of all of them; names and addresses that it is reached by; now, with zone.
    Raises: ValueError for a name that a private authority may not speak for.
    """
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    found = Papers(folder / "authority.pem", folder / "server.pem", folder / "server.key")
    keeper = folder / "authority.key"
    if not found.authority.exists() or not keeper.exists():
        _make_authority(found.authority, keeper, now)
    if not _will_do(found, names, now):
        _make_certificate(found, keeper, names, now)
    return found


def own_names(host: str) -> list[str]:
    """What this machine is called on its network, and its addresses there. Parameters: host that it
    listens at."""
    name = socket.gethostname().split(".")[0].lower()
    found = ["localhost", "127.0.0.1", f"{name}.local", f"{name}.lan", *_addresses(host)]
    return list(dict.fromkeys(each for each in found if _may(each)))


def fingerprint(certificate: Path) -> str:
    """What a certificate is known by, to be compared with what a phone shows. Parameters:
    certificate, its file."""
    digest = x509.load_pem_x509_certificate(certificate.read_bytes()).fingerprint(hashes.SHA256())
    return ":".join(f"{byte:02X}" for byte in digest)


def _addresses(host: str) -> list[str]:
    try:
        wanted = ip_address(host)
    except ValueError:
        return [host.lower()]
    if not wanted.is_unspecified:
        return [host]
    found = socket.getaddrinfo(socket.gethostname(), None, proto=socket.IPPROTO_TCP)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asked:
        try:  # nothing is sent: only which address would speak to the network
            asked.connect(("10.255.255.255", 1))
            mine = [asked.getsockname()[0]]
        except OSError:
            mine = []
    return [*mine, *sorted({str(each[4][0]).partition("%")[0] for each in found})]


def _may(name: str) -> bool:
    """Whether a private authority may speak for a name."""
    try:
        address = ip_address(name)
    except ValueError:
        return any(name == each or name.endswith(f".{each}") for each in _NAMES)
    return any(address in net for net in _nets() if net.version == address.version)


def _nets() -> list[IPv4Network | IPv6Network]:
    return [ip_network(net) for net in (*_NETS, *_NETS_6)]


def _subject(words: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, words)])


def _make_authority(file: Path, keeper: Path, now: datetime) -> None:
    key = ec.generate_private_key(ec.SECP256R1())
    name = _subject(f"Open Pail, {socket.gethostname()[:40]}, {now:%Y-%m-%d}")
    permitted: list[x509.GeneralName] = [x509.DNSName(each) for each in _NAMES]
    permitted += [x509.IPAddress(net) for net in _nets()]
    usage = x509.KeyUsage(
        digital_signature=False,
        content_commitment=False,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        key_cert_sign=True,
        crl_sign=True,
        encipher_only=False,
        decipher_only=False,
    )
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + AUTHORITY_LASTS)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(usage, critical=True)
        .add_extension(x509.NameConstraints(permitted, None), critical=True)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .sign(key, hashes.SHA256())
    )
    _write(keeper, _plain(key), 0o600)
    _write(file, made.public_bytes(serialization.Encoding.PEM), 0o644)


def _will_do(found: Papers, names: Sequence[str], now: datetime) -> bool:
    """Whether the server's certificate is of these names, of this authority, and not soon over."""
    if not found.certificate.exists() or not found.key.exists():
        return False
    made = x509.load_pem_x509_certificate(found.certificate.read_bytes())
    authority = x509.load_pem_x509_certificate(found.authority.read_bytes())
    held = made.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    told = {str(each.value) for each in held}
    is_ours = made.issuer == authority.subject
    return is_ours and set(names) <= told and made.not_valid_after_utc - now > RENEWED_BEFORE


def _make_certificate(found: Papers, keeper: Path, names: Sequence[str], now: datetime) -> None:
    strange = [each for each in names if not _may(each)]
    if strange:
        raise ValueError(
            f"{strange[0]} is no private name: get a certificate of a public authority for it, and "
            "serve behind it with --behind-tls."
        )
    authority = x509.load_pem_x509_certificate(found.authority.read_bytes())
    signer = serialization.load_pem_private_key(keeper.read_bytes(), None)
    key = ec.generate_private_key(ec.SECP256R1())
    made = (
        x509.CertificateBuilder()
        .subject_name(_subject("Open Pail"))
        .issuer_name(authority.subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + LASTS)
        .add_extension(
            x509.SubjectAlternativeName([_named(each) for each in names]), critical=False
        )
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .add_extension(
            x509.AuthorityKeyIdentifier.from_issuer_public_key(authority.public_key()),  # type: ignore[arg-type]
            critical=False,
        )
        .sign(signer, hashes.SHA256())  # type: ignore[arg-type]
    )
    _write(found.key, _plain(key), 0o600)
    _write(found.certificate, made.public_bytes(serialization.Encoding.PEM), 0o644)


def _named(name: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ip_address(name))
    except ValueError:
        return x509.DNSName(name)


def _plain(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(
        serialization.Encoding.PEM,
        serialization.PrivateFormat.PKCS8,
        serialization.NoEncryption(),
    )


def _write(file: Path, body: bytes, mode: int) -> None:
    """Write a file that is never there in half, nor for a moment open to others."""
    half = file.with_suffix(".half")
    half.unlink(missing_ok=True)
    with os.fdopen(os.open(half, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), "wb") as out:
        out.write(body)
    half.replace(file)
