"""Character sets by the names that answers and files give: those that Python knows and that are
character sets.

What Python calls an encoding and is none (`rot13`, `base64`, `idna`, `punycode`, `undefined`,
escapes) is unknown here, and so is UTF-7, which the WHATWG's Encoding Standard forbids: these
decode to lone surrogates, take quadratic time, or raise what no decoder should. Names come from
strangers, so they are looked up in a table and never in the codecs' registry, which remembers each
name for ever.
"""

from __future__ import annotations

import encodings
from encodings.aliases import aliases

_NONE = frozenset(
    "base64_codec bz2_codec hex_codec quopri_codec rot_13 uu_codec zlib_codec"
    " idna punycode undefined unicode_escape raw_unicode_escape utf_7 mbcs oem".split()
)
_KNOWN = {name: codec for name, codec in aliases.items() if codec not in _NONE}
_KNOWN |= {codec: codec for codec in _KNOWN.values()} | {"utf_8_sig": "utf_8_sig"}
LONGEST_NAME = 40


def codec_of(name: str) -> str | None:
    """The name under which Python decodes a character set; None where there is no such."""
    if len(name) > LONGEST_NAME or not name.isascii():
        return None
    return _KNOWN.get(encodings.normalize_encoding(name.strip().lower()))


def no_encoding(name: str) -> str:
    """The sentence about a name that is none."""
    return f"there is no encoding {name!r}; expected such as utf-8, latin-1 or windows-1252"
