"""Sound between the show and its guests: over real lines on this machine, from one end to the other."""

import asyncio
from fractions import Fraction

import av
import numpy as np
import pytest
from aiortc import RTCPeerConnection, RTCSessionDescription
from aiortc.mediastreams import MediaStreamTrack

from ribalta.attach.crew_line import CrewSide, Voice, at_file, pair
from ribalta.core.sound.blocks import BLOCK
from ribalta.core.sound.levels import RATE
from ribalta.remote.guests.sound import CrewSound
from ribalta.remote.guests.streams import ONE_LINE, Peer

pytestmark = pytest.mark.real_time


def tone(hertz: float, number: int) -> np.ndarray:
    """The `number`th block of it."""
    return (0.3 * np.sin(2 * np.pi * hertz * (np.arange(BLOCK) + number * BLOCK) / RATE)).astype(np.float32)


def pitch(blocks: list[np.ndarray]) -> float:
    """Of what is loudest, Hz; 0 for silence."""
    whole = np.concatenate(blocks)
    if np.sqrt(np.mean(whole**2)) < 0.02:
        return 0.0
    spectrum = np.abs(np.fft.rfft(whole * np.hanning(len(whole))))
    return float(np.argmax(spectrum) * RATE / len(whole))


class Voice440(MediaStreamTrack):
    """Somebody at a page who hums."""

    kind = "audio"

    def __init__(self) -> None:
        super().__init__()
        self._number = 0

    async def recv(self):
        await asyncio.sleep(0.02)
        whole = (tone(440, self._number) * 32767).astype("<i2").reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(whole, format="s16", layout="mono")
        frame.sample_rate, frame.pts, frame.time_base = RATE, self._number * BLOCK, Fraction(1, RATE)
        self._number += 1
        return frame


class Page:
    """What a browser's page does about sound."""

    def __init__(self, hears: bool, talks: bool) -> None:
        self.line, self.heard, self._tasks = RTCPeerConnection(ONE_LINE), {}, []
        self.line.addTransceiver("video", "recvonly")
        made = {}
        for voice in ((Voice.PROGRAM,) if hears else ()) + (Voice.CREW,):
            said = Voice440() if talks and voice is Voice.CREW else "audio"
            made[voice] = self.line.addTransceiver(said, "sendrecv" if talks and voice is Voice.CREW else "recvonly")
            self.heard[voice] = []

        def came(track) -> None:
            for voice, one in made.items():
                if one.receiver.track is track:
                    self._tasks.append(asyncio.ensure_future(self._hear(track, self.heard[voice])))

        self.line.on("track", came)

    async def _hear(self, track, blocks) -> None:
        while True:
            frame = await track.recv()
            blocks.append(frame.to_ndarray().reshape(-1, 2)[:, 0].astype(np.float32) / 32768)

    async def offer(self) -> dict[str, str]:
        await self.line.setLocalDescription(await self.line.createOffer())
        return {"type": "offer", "sdp": self.line.localDescription.sdp}

    async def close(self) -> None:
        for task in self._tasks:
            task.cancel()
        await self.line.close()


class House:
    """A show's sound at one end, pages at the other."""

    def __init__(self) -> None:
        self.line, file = pair()
        self.peers, self.pages, self.talking = {}, {}, set()
        self.sound = CrewSound(at_file(file), self._listeners, lambda: self.talking)
        self.sound.begin()
        self.crew_talks, self.said, self._number = False, [], 0

    def _listeners(self):
        return {name: [peer.sound] for name, peer in self.peers.items() if peer.is_up}

    async def come(self, name: str, hears: bool, talks: bool) -> Page:
        page = self.pages[name] = Page(hears, talks)
        peer = self.peers[name] = Peer(lambda _: None, hears, talks)
        await page.line.setRemoteDescription(RTCSessionDescription(**await peer.answer(await page.offer())))
        return page

    async def until(self, true, limit_s: float = 15.0) -> None:
        """The show's sound goes on, 20 ms for 20 ms, until then."""
        loop = asyncio.get_running_loop()
        begun_s, number = loop.time(), 0
        while not true():
            assert loop.time() - begun_s < limit_s
            self.line.put(Voice.PROGRAM, tone(300, self._number))
            if self.crew_talks:
                self.line.put(Voice.CREW, tone(800, self._number))
            while (came := self.line.take()) is not None:
                assert came[0] is Voice.GUESTS
                self.said.append(came[1])
            self._number, number = self._number + 1, number + 1
            await asyncio.sleep(max(0.0, begun_s + 0.02 * number - loop.time()))

    async def close(self) -> None:
        for page in self.pages.values():
            await page.close()
        for peer in self.peers.values():
            await peer.close()
        self.sound.close()
        self.line.close()


def run(journey) -> None:
    async def whole() -> None:
        house = House()
        try:
            await journey(house)
        finally:
            await house.close()

    asyncio.run(whole())


def is_heard(blocks: list[np.ndarray], hertz: float) -> bool:
    """By the last quarter of a second."""
    return len(blocks) > 40 and abs(pitch(blocks[-12:]) - hertz) < 10


def test_program_and_voices_are_heard_by_whom_they_are_for():
    async def journey(house: House) -> None:
        bram, ines = await house.come("Bram", False, True), await house.come("Ines", True, False)
        await house.until(lambda: is_heard(ines.heard[Voice.PROGRAM], 300))
        assert house.said == []  # Bram hums, and nobody has let him
        assert Voice.PROGRAM not in bram.heard
        house.talking = {"Bram"}
        await house.until(lambda: is_heard(house.said, 440) and is_heard(ines.heard[Voice.CREW], 440))
        assert not any(np.abs(block).max() > 0.02 for block in bram.heard[Voice.CREW])  # not one's own voice
        house.talking, house.crew_talks = set(), True
        await house.until(lambda: is_heard(bram.heard[Voice.CREW], 800) and is_heard(ines.heard[Voice.CREW], 800))
        count = len(house.said)
        house.talking = {"Ines"}  # whose page has no microphone
        await house.until(lambda: len(ines.heard[Voice.PROGRAM]) > 150)
        assert len(house.said) == count

    run(journey)


@pytest.mark.parametrize(
    ("hears", "talks", "sounds"), [(False, False, 1), (False, True, 2), (True, True, 1), (True, False, 3)]
)
def test_an_offer_with_more_or_less_sound_than_was_given_is_refused(hears, talks, sounds):
    async def journey() -> None:
        line, peer = RTCPeerConnection(ONE_LINE), Peer(lambda _: None, hears, talks)
        line.addTransceiver("video", "recvonly")
        for _ in range(sounds):
            line.addTransceiver("audio", "recvonly")
        try:
            await line.setLocalDescription(await line.createOffer())
            with pytest.raises(ValueError, match="more or less"):
                await peer.answer({"type": "offer", "sdp": line.localDescription.sdp})
        finally:
            await line.close()

    asyncio.run(journey())


def test_an_end_that_is_gone_or_is_not_read_holds_up_nobody():
    line, file = pair()
    show, door = CrewSide(line), at_file(file)
    for k in range(2000):
        show.tell(tone(300, k), None)
    for k in range(20):
        door.put(Voice.GUESTS, tone(440, k))
    assert show.said() is not None
    door._socket.send(b"\x03what is no sound")
    door.close()
    for _ in range(30):
        show.said()
        show.tell(tone(300, 0), tone(800, 0))
    assert show.said() is None
