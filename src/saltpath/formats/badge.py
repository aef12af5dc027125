"""A badge: how a project or a suite stands, as one small picture for a page of somebody else's. It
is plain SVG, with text as text, a frame, and the mark of the verdict by its shape."""

from __future__ import annotations

from html import escape

from saltpath.core.values.plain import cut
from saltpath.formats.terminal import printable

MARKS = {
    "passed": '<circle cx="8" cy="8" r="6.5" fill="#2b7a57"/>'
    '<path d="M4.8 8.2 7 10.4 11.3 5.8" stroke="#fff" stroke-width="1.7" fill="none"/>',
    "failed": '<rect x="1.5" y="1.5" width="13" height="13" fill="#b43e26"/>'
    '<path d="M5.2 5.2l5.6 5.6M10.8 5.2l-5.6 5.6" stroke="#fff" stroke-width="1.7"/>',
    "blocked": '<path d="M8 1.5 15 14.5H1z" fill="#c79a08"/>'
    '<path d="M8 6.2v4M8 11.8v1" stroke="#1e2b31" stroke-width="1.5"/>',
}
OTHER = '<circle cx="8" cy="8" r="6" fill="none" stroke="#64717a" stroke-dasharray="3 2.2"/>'
LETTER = 6.6
HEIGHT = 26
LONGEST = 80


def badge(name: str, verdict: str, said: str) -> bytes:
    """A picture that says `name: said`, with the verdict's mark; empty `verdict`: none is known."""
    text = f"{cut(printable(name), LONGEST)}: {said}"
    width = round(34 + LETTER * len(text))
    shown = escape(text)
    mark = MARKS.get(verdict, OTHER)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{HEIGHT}" role="img" '
        f'aria-label="{shown}"><title>{shown}</title>'
        f'<rect x=".5" y=".5" width="{width - 1}" height="{HEIGHT - 1}" rx="5" fill="#f6f4ef" '
        'stroke="#c9c1b2"/>'
        f'<g transform="translate(6 5)">{mark}</g>'
        f'<text x="28" y="17.5" font-family="system-ui, sans-serif" font-size="12.5" '
        f'fill="#1e2b31" textLength="{round(LETTER * len(text))}">{shown}</text></svg>'
    ).encode()
