"""Messages from runners to the writer: length-prefixed msgpack over a Unix socket, acknowledged by
number."""

from __future__ import annotations

import socket
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec

from saltpath.core.running.causes import Failure
from saltpath.store.run_rows import RowRow
from saltpath.store.step_rows import StepRow

SOCKET = "writer.sock"
RELEASE = "release"
"""The kind of the supervisor's message that a runner (`facts`: its name) has ended: once all that
it had sent is recorded, others may take its jobs."""
_LENGTH = struct.Struct("!I")


class Message(msgspec.Struct, array_like=True):
    """One thing that happened in a run. `kind`: started, case-started, rows-begun, part-begun,
    session, step-started, step, row, case-finished, finished, release. `number` goes on by one from
    message to message of a runner. `epoch`: that of the job under which it happened (see
    store/jobs.py). `facts` are the kind's own. `quiet`: it is one of very many, and told to pages
    only in numbers."""

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
    epoch: int = 0
    failure: Failure | None = None


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


_ACKNOWLEDGED = struct.Struct("!QB")


def acknowledge(connection: socket.socket, number: int, refused: bool) -> None:
    """Say that what came up to this number is recorded, or that something of it was `refused`: it
    came under an old epoch."""
    connection.sendall(_ACKNOWLEDGED.pack(number, refused))


def read_acknowledgement(connection: socket.socket) -> tuple[int, bool] | None:
    """The next acknowledged number, and whether something up to it was refused; None when the
    writer is gone."""
    data = b""
    while len(data) < _ACKNOWLEDGED.size:
        piece = connection.recv(_ACKNOWLEDGED.size - len(data))
        if not piece:
            return None
        data += piece
    number, refused = _ACKNOWLEDGED.unpack(data)
    return number, bool(refused)


def release(folder: Path, runner: str, patience_s: float) -> bool:
    """Have the writer release the jobs of a runner that has ended; False if it has not said so in
    time."""
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as connection:
        connection.settimeout(patience_s)
        try:
            connection.connect(str(folder / SOCKET))
            connection.sendall(pack(Message(1, 0, 0, RELEASE, facts={"runner": runner})))
            return read_acknowledgement(connection) is not None
        except OSError:
            return False
