"""A key and a certificate by which the parts of one installation know each other: nobody else on this machine, or on
the network between several, can hand work to a worker or reach the database.

Workers on other machines are given a copy of the folder, which also says where they find everything (``Reached``).
"""

from __future__ import annotations

import datetime as dt
import os
from pathlib import Path
from typing import NamedTuple

from .processes import read_json, write_json

CERTIFICATE, KEY, REACHED = "certificate.pem", "key.pem", "reached.json"
YEARS = 20


def as_host(address: str) -> str:
    """A network address as it stands in a web address."""
    return f"[{address}]" if ":" in address else address


class Reached(NamedTuple):
    """Where workers on other machines find the bake service and the database, and the password of their own user."""

    address: str
    scheduler_port: int
    database_port: int
    password: str

    @property
    def host(self) -> str:
        return as_host(self.address)


def write_reached(folder: Path, reached: Reached) -> None:
    """Keep it beside the keys, for our eyes only."""
    write_json(folder / REACHED, reached._asdict(), 0o600)


def read_reached(folder: Path) -> Reached | None:
    """What ``write_reached`` wrote; None where it is not there, or odd."""
    told = read_json(folder / REACHED)
    address, password = told.get("address"), told.get("password")
    ports = told.get("scheduler_port"), told.get("database_port")
    if not (isinstance(address, str) and isinstance(password, str) and isinstance(ports[0], int)):
        return None
    return Reached(address, ports[0], ports[1], password) if isinstance(ports[1], int) else None


def whole(folder: Path) -> bool:
    """Whether the pair is there."""
    return (folder / KEY).is_file() and (folder / CERTIFICATE).is_file()


def ensure(folder: Path) -> None:
    """Make the pair, unless it is there."""
    if not whole(folder):
        make(folder)


def _write(path: Path, data: bytes) -> None:
    """For this user's eyes only, whole or not at all."""
    beside = path.with_name(path.name + ".new")
    file = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(file, "wb") as out:
        out.write(data)
    beside.replace(path)


def make(folder: Path) -> None:
    """A key and a certificate that it signed itself."""
    from cryptography import x509  # not there yet where nothing was installed
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import NameOID

    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "dynaclast bakes")])
    began = dt.datetime.now(dt.UTC) - dt.timedelta(days=2)  # clocks of other machines may be behind
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(began)
        .not_valid_after(began + dt.timedelta(days=365 * YEARS))
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .sign(key, hashes.SHA256())
    )
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)
    plain = serialization.NoEncryption()
    encoding, form = serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8
    _write(folder / KEY, key.private_bytes(encoding, form, plain))
    _write(folder / CERTIFICATE, certificate.public_bytes(encoding))
