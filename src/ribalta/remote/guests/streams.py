"""Live pictures and sound over WebRTC: each place is encoded once in H.264, and every page gets the same packets.

A page has slots, as many as it offered; which place each of them shows is changed without talking about it again.
"""

import asyncio
import contextlib
import logging
from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from typing import Any

import av
from aiortc import RTCBundlePolicy, RTCConfiguration, RTCPeerConnection, RTCRtpSender, RTCSessionDescription
from aiortc.mediastreams import MediaStreamError, MediaStreamTrack
from av.video.codeccontext import VideoCodecContext

from ribalta.attach.crew_line import Voice
from ribalta.core.picture.planes import Picture
from ribalta.remote.guests.encoding import SIZES
from ribalta.remote.guests.sound import Listener

RATE = Fraction(1, 90_000)
ONE_LINE = RTCConfiguration(iceServers=[], bundlePolicy=RTCBundlePolicy.MAX_BUNDLE)  # for all that goes over it
KBIT = {"small": 450, "large": 1500}
BT709, LIMITED = 1, 1  # as in ITU-T H.273
GROUP = 50  # frames between key frames that nobody asked for
MOST_SLOTS, MOST_QUEUED = 10, 25
LONGEST_OFFER = 60_000
Packet = Any  # of PyAV
QUIETLY = {"preset": "ultrafast", "tune": "zerolatency", "profile": "baseline"}
_log = logging.getLogger(__name__)


class Encoder:
    """One place, at one size. One thread at a time may encode."""

    def __init__(self, size: str) -> None:
        width, height = SIZES[size]
        self._codec = VideoCodecContext.create("libx264", "w")
        self._codec.width, self._codec.height, self._codec.pix_fmt = width, height, "yuv420p"
        self._codec.time_base, self._codec.framerate = RATE, Fraction(25)
        self._codec.bit_rate, self._codec.gop_size = KBIT[size] * 1000, GROUP
        self._codec.thread_count, self._codec.options = 1, QUIETLY
        self._codec.colorspace = self._codec.color_primaries = self._codec.color_trc = BT709
        self._codec.color_range = LIMITED
        self._key, self._pts = True, -1

    def want_key(self) -> None:
        """Somebody has to begin anew: the next frame stands for itself. From any thread."""
        self._key = True

    def encode(self, picture: Picture, sent_s: float) -> list[Packet]:
        """Of a picture of its size. Its time is when it is sent, not when it was captured: a receiver waits for as
        long as times and arrivals differ."""
        rows = picture.in_one_piece().reshape(-1, picture.width)
        frame = av.VideoFrame.from_ndarray(rows, format="yuv420p")
        self._pts = frame.pts = max(self._pts + 1, round(sent_s / RATE))
        frame.time_base = RATE
        if self._key:
            self._key = False
            frame.pict_type = av.video.frame.PictureType.I
        return list(self._codec.encode(frame))


class Slot(MediaStreamTrack):
    """What a page shows at one place of its own. On the loop's thread."""

    kind = "video"

    def __init__(self) -> None:
        super().__init__()
        self.where = ""
        self._queue: asyncio.Queue[Packet] = asyncio.Queue(MOST_QUEUED)
        self._begun = False

    def turn_to(self, where: str) -> bool:
        """Show another place; is it another?"""
        if where == self.where:
            return False
        self.where, self._begun = where, False
        return True

    def give(self, packets: Sequence[Packet]) -> bool:
        """The next of its place. False when it has to begin anew with a key frame."""
        for packet in packets:
            if not self._begun and not packet.is_keyframe:
                return False
            self._begun = True
            if self._queue.full():
                self._begun = False
                return False
            self._queue.put_nowait(packet)
        return True

    async def recv(self) -> Any:
        """What is sent next."""
        if self.readyState != "live":
            raise MediaStreamError
        return await self._queue.get()


class Peer:
    """The line of one page. On the loop's thread. `hears` and `talks` are its guest's."""

    def __init__(self, want_key: Callable[[str], None], hears: bool = False, talks: bool = False) -> None:
        self._want_key, self._hears, self._talks = want_key, hears, talks
        self._line: RTCPeerConnection | None = None
        self.slots: list[Slot] = []
        self.sound: Listener | None = None
        self.wanted: tuple[str, ...] = ()  # places, in the order of the slots

    @property
    def is_up(self) -> bool:
        """Do pictures go this way?"""
        return self._line is not None and self._line.connectionState == "connected"

    async def answer(self, offer: Mapping[str, Any]) -> dict[str, str]:
        """To a page's offer. Raises ValueError for one that is none, or without H.264."""
        sdp = self._offered(offer)
        await self.close()
        line = self._line = RTCPeerConnection(ONE_LINE)
        codecs = [c for c in RTCRtpSender.getCapabilities("video").codecs if c.mimeType.lower() == "video/h264"]
        try:
            for _ in range(sdp.count("m=video ")):
                slot = Slot()
                transceiver = line.addTransceiver(slot, "sendonly")
                transceiver.setCodecPreferences(codecs)
                # aiortc makes key frames for encoders of its own; here they are asked of the one that all share
                transceiver.sender._send_keyframe = lambda slot=slot: self._want_key(slot.where)  # type: ignore
                self.slots.append(slot)
            if "m=audio " in sdp:
                self._add_sound(line)
            await line.setRemoteDescription(RTCSessionDescription(sdp, "offer"))
            await line.setLocalDescription(await line.createAnswer())
        except Exception as error:  # whatever a stranger's description makes of it
            await self.close()
            raise ValueError(f"the offer cannot be answered ({type(error).__name__})") from None
        self.show(self.wanted)
        description = line.localDescription
        return {"type": description.type, "sdp": description.sdp}

    def _offered(self, offer: Mapping[str, Any]) -> str:
        """A description with no more in it than is answered here. Raises ValueError."""
        sdp = offer.get("sdp")
        if offer.get("type") != "offer" or not isinstance(sdp, str) or len(sdp) > LONGEST_OFFER:
            raise ValueError("that is no offer")
        pictures, sound = sdp.count("m=video "), sdp.count("m=audio ")
        ears = (2 if self._hears else 1) if self._hears or self._talks else 0
        if not 1 <= pictures <= MOST_SLOTS or sound not in (0, ears) or sdp.count("\nm=") > pictures + sound:
            raise ValueError("more or less is offered than is answered here")
        return sdp

    def _add_sound(self, line: RTCPeerConnection) -> None:
        sound = self.sound = Listener(self._hears, self._talks)
        for voice, ear in sound.ears.items():
            line.addTransceiver(ear, "sendrecv" if voice is Voice.CREW and self._talks else "sendonly")
        line.on("track", lambda track: sound.follow(track) if track.kind == "audio" else None)

    def show(self, wanted: Sequence[str]) -> None:
        """Which places its slots show, in their order."""
        self.wanted = tuple(wanted)
        for slot, where in zip(self.slots, [*wanted, *[""] * len(self.slots)], strict=False):
            if slot.turn_to(where) and where:
                self._want_key(where)

    @property
    def places(self) -> set[str]:
        """What has to be encoded for it."""
        return {slot.where for slot in self.slots if slot.where} if self.is_up else set()

    def give(self, where: str, packets: Sequence[Packet]) -> None:
        """The next packets of a place."""
        for slot in self.slots:
            if slot.where == where and not slot.give(packets):
                self._want_key(where)

    async def close(self) -> None:
        """Nothing more goes this way."""
        line, self._line, self.slots = self._line, None, []
        sound, self.sound = self.sound, None
        if sound is not None:
            sound.close()
        if line is not None:
            with contextlib.suppress(Exception):  # it is over either way
                await line.close()
