"""Sound over RTP: uncompressed 16-bit samples (L16, RFC 3551) at 48 kHz, as sound over network is usually sent.

Packets are put in their place by their time stamps; what is lost is silence. The reader stays LATENCY behind the
newest sample, so that unevenness of the network is not heard.
"""

import socket
import struct
import threading
import time

import numpy as np

from ribalta.core.sound.levels import RATE, Samples
from ribalta.workers.crew import Crew

LATENCY, KEPT = RATE * 3 // 50, RATE * 2  # 60 ms, 2 s
LARGEST = 65536
UNIT = np.float32(1 / 32768)
MOST_CHANNELS = 64
JUMP = RATE  # a time stamp that is farther off begins anew
LOST_AFTER = 25  # readings without anything new
UNLOCKED_AFTER_S, BIND_AGAIN_S, JOIN_S = 1.0, 2.0, 2.0


class RtpSound:
    """Listens on an address from the start; `read` never waits. `trouble`: why nothing comes, as a phrase.

    Who sends first is listened to (its address, its stream or SSRC, its kind of payload), and nobody else until
    nothing has come from there for UNLOCKED_AFTER_S.
    """

    def __init__(self, host: str, port: int, crew: Crew | None = None) -> None:
        self._where = (host, port)
        self._from: tuple[object, int, int] | None = None
        self._from_s = 0.0
        self.trouble = "nothing has come from there yet"
        self._lock = threading.Lock()
        self._ring = np.zeros((KEPT, 1), np.float32)
        self._base: int | None = None  # the time stamp that is sample 0
        self._newest, self._at = 0, -1
        self._last_stamp: int | None = None
        self._quiet = 0
        self._stopping = threading.Event()
        self._worker = (crew or Crew()).worker(f"rtp {host}:{port}", self._run)
        self._worker.start()

    def read(self, count: int) -> Samples | None:
        """The next (count, channels) samples; None when nothing comes."""
        with self._lock:
            behind = self._newest - self._at
            if self._base is None or self._quiet > LOST_AFTER:
                self._quiet += 1
                return None
            if self._at < 0 or behind > 4 * LATENCY:
                self._at = max(0, self._newest - LATENCY)
            if self._at + count > self._newest:
                self._quiet += 1
                return np.zeros((count, self._ring.shape[1]), np.float32)
            self._quiet = 0
            found = np.empty((count, self._ring.shape[1]), np.float32)
            for start, place, length in _pieces(self._at, count):
                found[start : start + length] = self._ring[place : place + length]
                self._ring[place : place + length] = 0.0
            self._at += count
            return found

    def stop(self) -> None:
        """See `SoundSource`."""
        self._stopping.set()
        self._worker.stop()

    def join(self) -> None:
        """See `SoundSource`."""
        self._worker.join(JOIN_S)

    def _run(self) -> None:
        """A name is looked up here, so that nobody who mixes waits for it."""
        host, port = self._where
        while not self._stopping.is_set():
            with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as listening:
                listening.settimeout(0.25)
                try:
                    listening.bind((host, port))
                except OSError as error:
                    self.trouble = f"{host}, UDP {port} cannot be listened to: {error.strerror or error}"
                    self._stopping.wait(BIND_AGAIN_S)
                    continue
                self._listen(listening)

    def _listen(self, listening: socket.socket) -> None:
        while not self._stopping.is_set():
            try:
                packet, sender = listening.recvfrom(LARGEST)
            except TimeoutError:
                continue
            except OSError:
                return  # it is opened anew
            with self._lock:
                if self._ours(packet, sender, time.monotonic()):
                    self._take(packet)

    def _ours(self, packet: bytes, sender: object, now_s: float) -> bool:
        """Does it come from where sound has come from so far?"""
        if payload_of(packet) is None:
            return False
        who = (sender, int(struct.unpack_from(">I", packet, 8)[0]), packet[1] & 0x7F)
        if who != self._from:
            if self._from is not None and now_s - self._from_s < UNLOCKED_AFTER_S:
                return False
            self._from, self._last_stamp = who, None
        self._from_s = now_s
        return True

    def _take(self, packet: bytes) -> None:
        found = payload_of(packet)
        if found is None:
            return
        stamp, payload = found
        last, self._last_stamp = self._last_stamp, stamp
        if last is None or stamp == last:
            return
        frames = (stamp - last) & 0xFFFFFFFF
        channels = len(payload) // 2 // frames if 0 < frames <= JUMP else 0
        if not 1 <= channels <= MOST_CHANNELS or len(payload) != 2 * frames * channels:
            channels = self._ring.shape[1]
            frames = len(payload) // 2 // channels
            if frames == 0 or len(payload) != 2 * frames * channels:
                return
        if channels != self._ring.shape[1]:
            self._ring, self._base = np.zeros((KEPT, channels), np.float32), None
        at = self._place(stamp, frames)
        if at is None:
            return
        samples = np.frombuffer(payload, ">i2").reshape(frames, channels)
        for start, place, length in _pieces(at, frames):
            np.multiply(samples[start : start + length], UNIT, out=self._ring[place : place + length])
        self._newest = max(self._newest, at + frames)
        self._quiet, self.trouble = 0, ""

    def _place(self, stamp: int, frames: int) -> int | None:
        """Where these samples belong; None when their time is over."""
        if self._base is not None:
            at = (stamp - self._base) & 0xFFFFFFFF
            if abs(at - self._newest) < JUMP:
                return at if at + frames > self._newest - KEPT // 2 else None
        self._base, self._newest, self._at = stamp, 0, -1
        self._ring[:] = 0.0
        return 0


def _pieces(at: int, count: int) -> tuple[tuple[int, int, int], ...]:
    """Where samples from `at` on are in the ring: (first of them, its place, how many), in one piece or two."""
    place = at % KEPT
    first = min(count, KEPT - place)
    return ((0, place, first),) if first == count else ((0, place, first), (first, 0, count - first))


def payload_of(packet: bytes) -> tuple[int, bytes] | None:
    """The time stamp and the samples of an RTP packet (RFC 3550, 5.1); None when it is not one."""
    if len(packet) < 12 or packet[0] >> 6 != 2:
        return None
    start = 12 + 4 * (packet[0] & 15)
    if packet[0] & 16:
        if len(packet) < start + 4:
            return None
        start += 4 + 4 * int(struct.unpack_from(">H", packet, start + 2)[0])
    end = len(packet) - (packet[-1] if packet[0] & 32 else 0)
    return (int(struct.unpack_from(">I", packet, 4)[0]), packet[start:end]) if start < end else None
