"""A line that is slow and loses packets, without the kernel's help: two TUN devices, one of them in a network namespace
of its own, and a process that hands IP packets on late, or not at all. It needs root, `ip` and /dev/net/tun."""

import contextlib
import fcntl
import heapq
import os
import random
import select
import signal
import struct
import subprocess
import time
from collections.abc import Iterator

SPACE, NEAR, FAR = "ribalta-far", "10.77.31.1", "10.77.31.2"
TUNSETIFF, IFF_TUN, IFF_NO_PI = 0x400454CA, 0x0001, 0x1000
LONGEST_QUEUE = 2000  # packets


def _ip(*words: str) -> None:
    subprocess.run(("ip", *words), check=True, capture_output=True)


def _device(name: str) -> int:
    made = os.open("/dev/net/tun", os.O_RDWR | os.O_NONBLOCK)
    fcntl.ioctl(made, TUNSETIFF, struct.pack("16sH", name.encode(), IFF_TUN | IFF_NO_PI))
    return made


def _hand_on(near: int, far: int, delay_s: float, loss: float) -> None:
    chance, waiting, count = random.Random(1), list[tuple[float, int, int, bytes]](), 0
    other = {near: far, far: near}
    while True:
        until_s = max(0.0, waiting[0][0] - time.monotonic()) if waiting else 1.0
        for device in select.select((near, far), (), (), until_s)[0]:
            with contextlib.suppress(OSError):
                packet = os.read(device, 65536)
                if chance.random() >= loss and len(waiting) < LONGEST_QUEUE:
                    count += 1
                    heapq.heappush(waiting, (time.monotonic() + delay_s, count, other[device], packet))
        while waiting and waiting[0][0] <= time.monotonic():
            _, _, device, packet = heapq.heappop(waiting)
            with contextlib.suppress(OSError):  # it is down
                os.write(device, packet)


def cut(on: bool) -> None:
    """Nothing goes through, or it does again."""
    _ip("link", "set", "rb-near", "down" if on else "up")


@contextlib.contextmanager
def far_away(there_and_back_ms: float, loss_percent: float) -> Iterator[None]:
    """While it lasts there is a namespace SPACE at FAR, which reaches this one at NEAR. Each way loses its share."""
    subprocess.run(("ip", "netns", "del", SPACE), capture_output=True, check=False)
    near, far = _device("rb-near"), _device("rb-far")
    child = 0
    try:
        _ip("netns", "add", SPACE)
        _ip("link", "set", "rb-far", "netns", SPACE)
        _ip("addr", "add", NEAR, "peer", FAR, "dev", "rb-near")
        _ip("link", "set", "rb-near", "up")
        _ip("-n", SPACE, "addr", "add", FAR, "peer", NEAR, "dev", "rb-far")
        _ip("-n", SPACE, "link", "set", "rb-far", "up")
        child = os.fork()
        if child == 0:
            signal.signal(signal.SIGTERM, lambda *_: os._exit(0))
            _hand_on(near, far, there_and_back_ms / 2000, loss_percent / 100)
        yield
    finally:
        if child:
            os.kill(child, signal.SIGTERM)
            os.waitpid(child, 0)
        os.close(near)
        os.close(far)
        subprocess.run(("ip", "netns", "del", SPACE), capture_output=True, check=False)
