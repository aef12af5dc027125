"""Messages from runners to the writer: length-prefixed msgpack over a Unix socket, acknowledged by number."""

from __future__ import annotations

import socket
import struct
from collections.abc import Iterator
from typing import Any

import msgspec

from saltpath.store.evidence import StepRow
from saltpath.store.run_rows import RowRow

SOCKET = "writer.sock"
_LENGTH = struct.Struct("!I")


class Message(msgspec.Struct, array_like=True):
    """One thing that happened in a run. `kind`: started, case-started, rows-begun, step, row, case-finished, finished.
    `facts` are the kind's own. `quiet`: it is one of very many, and told to pages only in numbers."""

    number: int
    project: int
    run: int
    kind: str
    at: int = 0
    position: int = 0
    step: StepRow | None = None
    facts: Any = None
    row: RowRow | None = None
    quiet: bool = False


_encoder = msgspec.msgpack.Encoder()
_decoder = msgspec.msgpack.Decoder(Message)


def pack(message: Message) -> bytes:
    data = _encoder.encode(message)
    return _LENGTH.pack(len(data)) + data


def unpack(buffer: bytearray) -> Iterator[Message]:
    """Take whole messages off the front of the buffer."""
    at = 0
    while len(buffer) - at >= 4:
        length = _LENGTH.unpack_from(buffer, at)[0]
        if len(buffer) - at - 4 < length:
            break
        yield _decoder.decode(memoryview(buffer)[at + 4 : at + 4 + length])
        at += 4 + length
    del buffer[:at]


def acknowledge(connection: socket.socket, number: int) -> None:
    connection.sendall(struct.pack("!Q", number))


def read_acknowledgement(connection: socket.socket) -> int | None:
    """The next acknowledged number; None when the writer is gone."""
    data = b""
    while len(data) < 8:
        piece = connection.recv(8 - len(data))
        if not piece:
            return None
        data += piece
    return int(struct.unpack("!Q", data)[0])
