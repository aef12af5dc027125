"""How exchanges are carried out: limits of time and size, redirects, retries, certificates. The
nearest level decides."""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import force_setattr, replace

from saltpath.core.references.templates import NO_TEMPLATE, Template


class Certificate(Struct, frozen=True):
    """A client certificate: files in PEM, relative to the project; `key` empty if the certificate's
    file holds it too. `pem` and `key_pem`: what the files hold, once they are read."""

    file: str
    key: str = ""
    password: Template = NO_TEMPLATE
    pem: bytes = b""
    key_pem: bytes = b""

    def __repr__(self) -> str:
        """Without what the files hold: a key stands in no message."""
        return f"Certificate(file={self.file!r}, key={self.key!r})"


class Options(Struct, frozen=True):
    """How an exchange is carried out. None: the next wider level, or the default of `DEFAULTS`,
    decides.

    `retries`: how often a blocked exchange is tried again, `retry_sent`: also a POST or PATCH after
    something was sent. `proxy`: the address of an HTTP proxy, as text once it is filled in.
    `at_once`: how many requests one host gets side by side; `per_second`: how many in a second.
    `straight`: whether one exchange is sent at once, and nothing has to be filled in."""

    timeout_us: int | None = None
    follow_redirects: bool | None = None
    verify_tls: bool | None = None
    largest_body: int | None = None
    retries: int | None = None
    retry_sent: bool | None = None
    retry_after_us: int | None = None
    cookies: bool | None = None
    fresh_connection: bool | None = None
    certificate: Certificate | None = None
    proxy: Template | None = None
    at_once: int | None = None
    per_second: float | None = None
    namespaces: tuple[tuple[str, str], ...] | None = None
    trusted: tuple[str, ...] | None = None
    """Hosts, with their ports where these are said, to which a redirect may carry all that the
    request had."""
    straight: bool = False

    def __post_init__(self) -> None:
        ways = (self.certificate, self.proxy, self.at_once, self.per_second)
        force_setattr(self, "straight", not self.retries and all(way is None for way in ways))

    def trees(self) -> list[Template]:
        """In which references may stand."""
        password = self.certificate.password if self.certificate is not None else None
        return [tree for tree in (self.proxy, password) if tree is not None]

    def over(self, wider: Options) -> Options:
        """These options, with what they leave open taken from the wider level."""
        if self is NO_OPTIONS:
            return wider
        own = {name: value for name in _OPTION_FIELDS if (value := getattr(self, name)) is not None}
        return replace(wider, **own)


_OPTION_FIELDS = tuple(name for name in Options.__struct_fields__ if name != "straight")
NO_OPTIONS = Options()
DEFAULTS = Options(
    timeout_us=30_000_000,
    follow_redirects=True,
    verify_tls=True,
    largest_body=50_000_000,
    retries=0,
    retry_sent=False,
    retry_after_us=1_000_000,
    cookies=True,
    fresh_connection=False,
    namespaces=(),
    trusted=(),
)
