"""TLS by files of a certificate and its key: read at the start and again when they were changed, as
those who renew certificates do."""

from __future__ import annotations

import logging
import ssl
import time
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from msgspec import Struct

from saltpath.core.values.errors import SaltPathError

LOOK_S = 5.0
SOON = timedelta(days=14)
log = logging.getLogger("saltpath.web")


class CertificateProblem(SaltPathError):
    """Why a certificate cannot be used."""

    code = "certificate"


class Files(Struct, frozen=True):
    """A certificate with those that it was issued by, and its key, in PEM; `key` may be in the same
    file."""

    certificate: Path
    key: Path | None = None

    def context(self) -> ssl.SSLContext:
        """What a server speaks by these files; TLS 1.2 at least. Raises CertificateProblem."""
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.minimum_version = ssl.TLSVersion.TLSv1_2
        context.set_alpn_protocols(["http/1.1"])
        for path in (self.certificate, self.key):
            if path is not None and not path.is_file():
                raise CertificateProblem(f"there is no file {path}")
        try:
            context.load_cert_chain(self.certificate, self.key, password=_no_password)
        except ssl.SSLError as problem:
            mismatch = "MISMATCH" in (problem.reason or "")
            said = (
                "the key is not that of the certificate"
                if mismatch
                else "they hold no certificate and key in PEM without a password"
            )
            files = f"{self.certificate} and {self.key}" if self.key else str(self.certificate)
            raise CertificateProblem(f"{files} cannot be used: {said}") from None
        except (OSError, ValueError) as problem:
            raise CertificateProblem(f"the certificate cannot be read: {problem}") from None
        return context

    def ends(self) -> datetime | None:
        """When the certificate does; None where that cannot be read."""
        with suppress(OSError, ValueError):
            return x509.load_pem_x509_certificate(self.certificate.read_bytes()).not_valid_after_utc
        return None

    def changed(self) -> tuple[float, ...]:
        """When they were changed last. Raises OSError."""
        paths = [path for path in (self.certificate, self.key) if path is not None]
        return tuple(path.stat().st_mtime for path in paths)


def _no_password() -> str:
    raise ValueError("its key is locked by a password")


class Certificates:
    """What a server that goes on for months speaks by."""

    def __init__(self, files: Files) -> None:
        """Raises CertificateProblem."""
        self._files = files
        self._changed = files.changed()
        self._context = files.context()
        self._looked = time.monotonic()
        self._tell_end()

    def context(self) -> ssl.SSLContext:
        """As the files are now; where they cannot be used any more, as they were."""
        now = time.monotonic()
        if now - self._looked > LOOK_S:
            self._looked = now
            try:
                changed = self._files.changed()
                if changed != self._changed:
                    self._context, self._changed = self._files.context(), changed
                    log.info("the certificate was read anew")
                    self._tell_end()
            except (CertificateProblem, OSError) as problem:
                log.error("%s; the certificate that was read before is used on", problem)
        return self._context

    def _tell_end(self) -> None:
        end = self._files.ends()
        if end is not None and end - datetime.now(UTC) < SOON:
            log.warning("the certificate ends, or ended, at %s", end.isoformat())
