"""Certificates by which the bake service's scheduler and workers know each other: nobody else on this machine, or on
the network between them, can hand work to a worker.
"""

from __future__ import annotations

import datetime as dt
import os
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from distributed import Worker, WorkerPlugin
from distributed.security import Security

CERTIFICATE, KEY = "certificate.pem", "key.pem"
YEARS = 20


class Modest(WorkerPlugin):
    """Workers show no pages of their own, since what is not there lets nobody in; and saving comes before baking."""

    def setup(self, worker: Worker) -> None:
        worker.http_server.stop()
        os.nice(5)


def _write(path: Path, data: bytes) -> None:
    """For this user's eyes only, whole or not at all."""
    beside = path.with_name(path.name + ".new")
    file = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(file, "wb") as out:
        out.write(data)
    beside.replace(path)


def make(folder: Path) -> None:
    """A key and a certificate that it signed itself."""
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


def security(folder: Path) -> Security:
    """What scheduler, workers and client of one installation share; made at the first start. Workers on other machines
    are given a copy of the folder.
    """
    if not ((folder / KEY).is_file() and (folder / CERTIFICATE).is_file()):
        make(folder)
    certificate, key = str(folder / CERTIFICATE), str(folder / KEY)
    return Security(
        require_encryption=True,
        tls_ca_file=certificate,
        tls_scheduler_cert=certificate,
        tls_scheduler_key=key,
        tls_worker_cert=certificate,
        tls_worker_key=key,
        tls_client_cert=certificate,
        tls_client_key=key,
    )
