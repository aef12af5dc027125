"""The root of what Salt Path raises where something is wrong that is not its own fault."""

from __future__ import annotations

from typing import ClassVar


class SaltPathError(Exception):
    """Its text is a sentence for whoever has to mend it, without a capital and a full stop where it
    may stand behind a colon. What it is about, such as places in a document, is in fields of its
    kinds."""

    code: str = "refused"
    """What kind of problem it is, for programs."""
    remedy: ClassVar[str] = ""
    """What to do about it, as a sentence, where that is the same for all of a kind."""

    @property
    def sentence(self) -> str:
        """Its text as a whole sentence."""
        text = str(self)
        if text[:1].islower() and not text.startswith(("http", "{")):
            text = text[:1].upper() + text[1:]
        return text if text.endswith((".", "?")) else f"{text}."
