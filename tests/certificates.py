"""A certificate for a server of the tests, and the authority that vouches for it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


@dataclass(frozen=True)
class Files:
    """Where they lie, as PEM."""

    ca: Path
    chain: Path
    key: Path


def certificate(folder: Path, name: str) -> Files:
    """Make an authority and a certificate of a name, for a day."""
    ours, theirs = ec.generate_private_key(ec.SECP256R1()), ec.generate_private_key(ec.SECP256R1())
    issuer = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Tests")])
    now = datetime.now(UTC)

    def made(subject: x509.Name, key, ca: bool) -> x509.Certificate:
        building = x509.CertificateBuilder().subject_name(subject).issuer_name(issuer).public_key(key.public_key())
        building = building.serial_number(x509.random_serial_number()).not_valid_before(now - timedelta(hours=1))
        building = building.not_valid_after(now + timedelta(days=1))
        building = building.add_extension(x509.BasicConstraints(ca=ca, path_length=None), critical=True)
        if ca:
            usage = [False] * 5 + [True, True] + [False] * 2
            building = building.add_extension(x509.KeyUsage(*usage), critical=True)
            identifier = x509.SubjectKeyIdentifier.from_public_key(key.public_key())
            building = building.add_extension(identifier, critical=False)
        else:
            names = x509.SubjectAlternativeName([x509.DNSName(name)])
            building = building.add_extension(names, critical=False)
            identifier = x509.AuthorityKeyIdentifier.from_issuer_public_key(ours.public_key())
            building = building.add_extension(identifier, critical=False)
        return building.sign(ours, hashes.SHA256())

    files = Files(folder / "ca.pem", folder / "chain.pem", folder / "key.pem")
    files.ca.write_bytes(made(issuer, ours, True).public_bytes(serialization.Encoding.PEM))
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
    files.chain.write_bytes(made(subject, theirs, False).public_bytes(serialization.Encoding.PEM))
    plain = serialization.NoEncryption()
    files.key.write_bytes(theirs.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, plain))
    return files
