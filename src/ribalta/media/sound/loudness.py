"""How loud a sound is to the ear."""

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.filter import Graph

from ribalta.core.sound.levels import RATE, Samples

SILENT_LUFS = -70.0


class Loudness:
    """Short-term loudness after EBU R 128: of the last three seconds, weighted as in ITU-R BS.1770, by FFmpeg's filter.
    Not thread-safe."""

    def __init__(self) -> None:
        self.lufs = SILENT_LUFS
        self._graph = Graph()
        begin = self._graph.add_abuffer(sample_rate=RATE, layout="stereo", format="flt")
        measure, end = self._graph.add("ebur128", "metadata=1:framelog=quiet"), self._graph.add("abuffersink")
        begin.link_to(measure)
        measure.link_to(end)
        self._graph.configure()

    def feed(self, block: Samples) -> None:
        """The next (n, 2) samples, -1 to 1, at RATE; one that is no number is silence, or the filter would never be rid
        of it. `lufs` follows ten times a second, once there were three seconds; it is never below SILENT_LUFS."""
        sound = np.nan_to_num(block, posinf=1.0, neginf=-1.0)
        frame = AudioFrame.from_ndarray(np.ascontiguousarray(sound).reshape(1, -1), format="flt", layout="stereo")
        frame.sample_rate = RATE
        self._graph.push(frame)
        while True:
            try:
                found = self._graph.pull()
            except av.BlockingIOError:  # until there is more to hear
                return
            self.lufs = max(SILENT_LUFS, float(found.metadata.get("lavfi.r128.S", SILENT_LUFS)))
