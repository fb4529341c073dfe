"""The pictures of framings: taken as they are stored, once the camera is seen to stand."""

from ribalta.core.base.clock import Clock
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Event, PictureWanted
from ribalta.media.program.mixer import Mixer
from ribalta.server.part import NEVER_S, Part
from ribalta.server.persistence import Persistence

PICTURE_WAIT_S, LOOK_AGAIN_S = 1.0, 0.02


class FramingPictures(Part):
    called = "the picture of a framing"

    def __init__(self, mixer: Mixer, persistence: Persistence, clock: Clock) -> None:
        self._mixer, self._persistence, self._clock = mixer, persistence, clock
        self._wanted: list[tuple[PictureWanted, float]] = []
        self._looked_s = 0.0

    def next_deadline_s(self) -> float:
        return self._looked_s + LOOK_AGAIN_S if self._wanted else NEVER_S

    def hear(self, event: Event, state: LiveState) -> None:
        if isinstance(event, PictureWanted):
            self._wanted.append((event, self._clock.now_s()))
            self._take(state)

    def follow(self, state: LiveState) -> None:
        if self._wanted:
            self._take(state)

    def _take(self, state: LiveState) -> None:
        """What is stored with a framing is what is seen since the camera came to rest: an older picture is only taken
        when no newer one comes for PICTURE_WAIT_S."""
        self._looked_s = now_s = self._clock.now_s()
        waiting = []
        asked, self._wanted = self._wanted, []  # one that fails is not tried without end
        for wanted, asked_s in asked:
            camera, still_s = state.show.camera(wanted.camera_id), state.live(wanted.camera_id).still_since_s
            rest_s = still_s + camera.picture.delay_s if camera is not None and still_s is not None else 0.0
            jpeg = self._mixer.jpeg(wanted.camera_id, min(rest_s, asked_s))
            if jpeg is None and now_s - asked_s < PICTURE_WAIT_S:
                waiting.append((wanted, asked_s))
                continue
            jpeg = jpeg or self._mixer.jpeg(wanted.camera_id)
            if jpeg is not None:
                self._persistence.add_files({wanted.name: jpeg})
        self._wanted = waiting
