"""Papers in every shape: parts and files taken at /papers, notices given in other charsets,
encodings and types at /notices."""

from __future__ import annotations

import email
import email.policy
import gzip
import hashlib
import zlib

import brotli
import zstandard

from saltpath.demo.harbour.port import Refusal
from saltpath.demo.harbour.routes import Call, Reply, route

NOTICE = "Nattbølge ved østre molo: fortøy dobbelt."


@route("POST", "/papers")
def _take(call: Call) -> Reply:
    """Parts of multipart/form-data, each told back with its size and SHA-256."""
    kind = call.headers.get("Content-Type", "")
    if not kind.startswith("multipart/form-data"):
        raise Refusal(415, "papers come as multipart/form-data")
    head = f"Content-Type: {kind}\r\n\r\n".encode()
    message = email.message_from_bytes(head + call.raw, policy=email.policy.HTTP)
    parts = []
    for part in message.iter_parts() if message.is_multipart() else ():
        content = bytes(part.get_payload(decode=True) or b"")
        parts.append(
            {
                "name": part.get_param("name", header="content-disposition"),
                "file": part.get_filename(),
                "type": part.get_content_type(),
                "size": len(content),
                "sha256": hashlib.sha256(content).hexdigest(),
            }
        )
    return Reply(201, {"parts": parts})


@route("PUT", "/papers/{name}")
def _store(call: Call) -> Reply:
    return Reply(
        200,
        {
            "name": call.keys["name"],
            "type": call.headers.get("Content-Type", ""),
            "size": len(call.raw),
            "sha256": hashlib.sha256(call.raw).hexdigest(),
        },
    )


@route("GET", "/notices/{kind}")
def _notice(call: Call) -> Reply:
    """A notice as `latin1`, `utf16`, `html`, `picture` or `xml`; or as JSON in `gzip`, `deflate`,
    `br` or `zstd`."""
    kind = call.keys["kind"]
    plain = {
        "latin1": (NOTICE.encode("latin-1"), "text/plain; charset=iso-8859-1"),
        "utf16": (NOTICE.encode("utf-16"), "text/plain; charset=utf-16"),
        "html": (
            (
                f"<!doctype html><title>Notice</title><h1>{NOTICE}</h1>"
                "<script>document.title='run'</script>"
            ).encode(),
            "text/html; charset=utf-8",
        ),
        "picture": (_PICTURE, "image/png"),
        "xml": (_XML.encode(), "application/xml"),
    }
    if kind in plain:
        body, media = plain[kind]
        return Reply(200, body, (("Content-Type", media),))
    if kind not in _ENCODERS:
        raise Refusal(404, f"there is no notice as {kind}")
    body = _ENCODERS[kind](f'{{"notice": "{NOTICE}"}}'.encode())
    return Reply(200, body, (("Content-Type", "application/json"), ("Content-Encoding", kind)))


_ENCODERS = {
    "gzip": gzip.compress,
    "deflate": zlib.compress,
    "br": brotli.compress,
    "zstd": zstandard.ZstdCompressor().compress,
}
_XML = """<?xml version="1.0"?>
<tides xmlns="urn:fernholm:tides" xmlns:q="urn:fernholm:quays" day="2026-11-23">
  <tide at="05:12" metres="1.84">high</tide><tide at="11:27" metres="0.31">low</tide>
  <q:quay q:name="East"><q:depth>9.50</q:depth></q:quay>
</tides>
"""
_PICTURE = bytes.fromhex(
    "89504e470d0a1a0a0000000d4948445200000001000000010802000000907753de"
    "0000000c49444154789c636078b11000037d018f2a27d9690000000049454e44ae426082"
)
