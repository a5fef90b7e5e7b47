"""Workers that deliver: processes of this machine, or those of a scheduler that somebody started.

Whoever may hand work to a scheduler runs code as those who started its workers. So workers of this machine talk over
TLS, with certificates that are made for this run and lie in memory alone, and answer nobody else; a scheduler
somewhere is asked over TLS when certificates are given.
"""

from __future__ import annotations

import logging
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from gelande.core.errors import DeliveryError
from gelande.core.evaluate.keys import program_digest

#: Hosts that are this machine.
HERE = ("127.0.0.1", "localhost", "::1")
#: Seconds in which a scheduler has to answer.
PATIENCE = 10


@dataclass(frozen=True)
class Certificates:
    """PEM files for TLS: of the authority that both sides trust, of this program, and of its key."""

    authority: Path
    certificate: Path
    key: Path

    @classmethod
    def within(cls, folder: Path) -> Certificates:
        """Those of a folder with ca.pem, cert.pem and key.pem."""
        return cls(folder / "ca.pem", folder / "cert.pem", folder / "key.pem")

    def security(self) -> Any:
        """What Dask takes. Raises DeliveryError when a file is not there."""
        from distributed.security import Security

        for path in (self.authority, self.certificate, self.key):
            if not Path(path).is_file():
                raise DeliveryError(f"The certificate {path} is not there; give the PEM files that the scheduler has.")
        return Security(
            tls_ca_file=str(self.authority),
            tls_client_cert=str(self.certificate),
            tls_client_key=str(self.key),
            require_encryption=True,
        )


def warning(scheduler: str) -> str:
    """One sentence about a scheduler that is asked without TLS; "" when there is nothing to say."""
    parts = urlsplit(scheduler)
    if not scheduler or parts.scheme == "tls":
        return ""
    who = "anybody on this machine" if parts.hostname in HERE else "anybody who reaches it"
    return (
        f"The scheduler at {scheduler} is asked without TLS: {who} can run code as those who started its workers. Give "
        "tls:// and certificates (--tls-ca, --tls-cert, --tls-key)."
    )


@contextmanager
def cluster(workers: int = 0, scheduler: str = "", certificates: Certificates | None = None) -> Iterator:
    """A client of a scheduler that runs somewhere, or of so many workers on this machine. Raises DeliveryError."""
    try:
        from distributed import Client
    except ImportError:
        raise DeliveryError(
            "Delivering on workers needs Dask, which is not installed; install it with: pip install gelande[farm]"
        ) from None
    if not scheduler:
        with _local(workers) as client:
            yield client
        return
    try:
        security = certificates.security() if certificates is not None else None
        client = Client(scheduler, timeout=PATIENCE, security=security)
    except (OSError, ValueError, TimeoutError):
        raise DeliveryError(
            f"No scheduler answers at {scheduler}; start one with: dask scheduler, and give its address"
            f"{' and its certificates' if scheduler.startswith('tls') else ''}."
        ) from None
    try:
        yield client
    finally:
        client.close()


@contextmanager
def _local(workers: int) -> Iterator:
    """A client of workers on this machine, whom nobody else can reach: no page, and no certificate on disk."""
    import dask
    from distributed import Client, LocalCluster
    from distributed.security import Security

    try:
        security = Security.temporary()
    except ImportError:
        raise DeliveryError(
            "Workers need the package cryptography, which is not installed; install it with: pip install gelande[farm]"
        ) from None
    settings = {
        # a unit is given to a worker when that is free, and not before: units take long, and as long as each other
        "distributed.scheduler.worker-saturation": 1.0,
        # Dask listens for a browser whether it has a page or not: nothing is answered there
        "distributed.scheduler.http.routes": [],
        "distributed.worker.http.routes": [],
        "distributed.nanny.http.routes": [],
    }
    with (
        dask.config.set(settings),
        LocalCluster(
            n_workers=workers,
            threads_per_worker=1,
            processes=True,
            host="127.0.0.1",
            protocol="tls://",
            security=security,
            dashboard_address="127.0.0.1:0",
            scheduler_kwargs={"dashboard": False},
            silence_logs=logging.CRITICAL,
        ) as local,
        Client(local, security=security) as client,
    ):
        yield client


def introduced(probe: str) -> tuple[str, bool]:
    """Done on a worker: which program it runs, and whether it sees a file."""
    return program_digest("kernels", "nodes", "core", "deliver"), Path(probe).is_file()


def check(client: Any, probe: Path) -> None:
    """Raises DeliveryError when the client has no workers, or one of them is of another version or has not the same
    folder. probe: a file in the folder that is delivered to."""
    if not client.scheduler_info()["workers"]:
        raise DeliveryError("The scheduler has no workers; start some with: dask worker ADDRESS, and try again.")
    try:
        found = client.run(introduced, str(probe), on_error="return")
    except (OSError, RuntimeError) as error:
        raise DeliveryError(f"The workers do not answer: {error}.") from None
    own = program_digest("kernels", "nodes", "core", "deliver")
    for worker, answer in found.items():
        if isinstance(answer, BaseException) or answer[0] != own:
            raise DeliveryError(
                f"The worker at {worker} runs another version of Gelande, or none; start it again with the one that is "
                "used here."
            )
        if not answer[1]:
            raise DeliveryError(
                f"The worker at {worker} does not see {probe.parent}; all workers need the same folder under the same "
                "name."
            )
