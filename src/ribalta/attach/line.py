"""Messages over a Unix socket: msgpack behind a length, and files that go along. No threads; whoever owns it asks."""

import contextlib
import os
import socket
import struct
from collections import deque
from typing import Any

import msgspec

from ribalta.attach.protocol import LARGEST_MESSAGE

LENGTH = struct.Struct("<I")
PIECE, MOST_FILES = 1 << 18, 4


class Damaged(ConnectionError):
    """What came is no message."""


class Line:
    """Both ends have one. It never waits: `receive` and `send` do what can be done now.

    All raise OSError (ConnectionError when the other end is gone), and `receive` raises Damaged.
    """

    def __init__(self, made: socket.socket) -> None:
        made.setblocking(False)
        self._socket = made
        self._arrived = bytearray()
        self._files: deque[int] = deque()
        self._leaving: deque[tuple[memoryview, tuple[int, ...]]] = deque()
        self.bytes_in = self.bytes_out = 0

    def fileno(self) -> int:
        """For selectors."""
        return self._socket.fileno()

    @property
    def waits(self) -> bool:
        """Is there something that the other end has not taken yet?"""
        return bool(self._leaving)

    def put(self, message: Any, files: tuple[int, ...] = ()) -> None:
        """To be sent after what was put before; `files` are handed over and closed here."""
        body = msgspec.msgpack.encode(message)
        self._leaving.append((memoryview(LENGTH.pack(len(body)) + body), files))

    def send(self) -> None:
        """As much as the other end takes now."""
        while self._leaving:
            data, files = self._leaving[0]
            try:
                if files:
                    sent = socket.send_fds(self._socket, [data[:PIECE]], files)
                    for file in files:
                        os.close(file)
                else:
                    sent = self._socket.send(data[:PIECE])
            except (BlockingIOError, InterruptedError):
                return
            self.bytes_out += sent
            if sent == len(data):
                self._leaving.popleft()
            else:
                self._leaving[0] = data[sent:], ()

    def receive(self) -> list[Any]:
        """The messages that are whole by now."""
        try:
            data, files, _, _ = socket.recv_fds(self._socket, PIECE, MOST_FILES)
        except (BlockingIOError, InterruptedError):
            return []
        self._files.extend(files)
        if not data:
            raise ConnectionResetError("the other end is gone")
        self.bytes_in += len(data)
        self._arrived += data
        return self._whole()

    def _whole(self) -> list[Any]:
        found: list[Any] = []
        begin = 0
        while len(self._arrived) - begin >= LENGTH.size:
            (length,) = LENGTH.unpack_from(self._arrived, begin)
            if length > LARGEST_MESSAGE:
                raise Damaged(f"a message of {length} bytes")
            end = begin + LENGTH.size + length
            if end > len(self._arrived):
                break
            try:
                found.append(msgspec.msgpack.decode(bytes(self._arrived[begin + LENGTH.size : end])))
            except (msgspec.DecodeError, ValueError, RecursionError) as error:
                raise Damaged(str(error)) from None
            begin = end
        del self._arrived[:begin]
        return found

    def file(self) -> int:
        """The next file that came along. Raises Damaged when there is none."""
        if not self._files:
            raise Damaged("a file was announced and did not come")
        return self._files.popleft()

    def close(self) -> None:
        """Nothing more comes or goes."""
        for file in (*self._files, *(f for _, files in self._leaving for f in files)):
            with contextlib.suppress(OSError):
                os.close(file)
        self._files.clear()
        self._leaving.clear()
        self._socket.close()
