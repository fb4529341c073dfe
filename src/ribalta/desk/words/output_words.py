"""What is said of the recording and of the stream wherever they are watched: on Air, on the strip."""

from ribalta.core.base.spans import span_words
from ribalta.desk.bridge import Bridge

LOW_MIN = 300  # so little left is worth saying
OFF = {"recording": "Not recording", "stream": "Not streaming"}


def clock_words(seconds: float) -> str:
    """“0:41”, “1:12:40”."""
    hours, rest = divmod(max(0, int(seconds)), 3600)
    return f"{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{rest // 60}:{rest % 60:02d}"


def output_state(bridge: Bridge, name: str) -> str:
    """ "on" it runs, "wrong" it should and does not, "" it is off. `name` is "recording" or "stream"."""
    live, outputs = bridge.state.output(name), bridge.state.show.outputs
    if name == "stream":
        if live.on:
            return "wrong" if bridge.outputs.stream.word == "lost" else "on"
        return "wrong" if live.trouble else ""
    missing = not live.on and outputs.expects_recording and bool(bridge.state.program.records)
    return "wrong" if missing or (live.trouble and not live.on) else "on" if live.on else ""


def output_words(bridge: Bridge, name: str) -> str:
    """One line: what it is, and how it goes. What is wrong has a mark in front."""
    live, wrong = bridge.state.output(name), output_state(bridge, name) == "wrong"
    mark = "! " if wrong else ""
    if not live.on:
        if live.trouble:
            return f"{mark}{'Recording' if name == 'recording' else 'Stream'} stopped by itself"
        return f"{mark}{OFF[name]}"
    return f"{mark}{_stream_words(bridge) if name == 'stream' else _recording_words(bridge)}"


def _stream_words(bridge: Bridge) -> str:
    status = bridge.outputs.stream
    if status.word == "on":
        return f"Streaming {status.kbit_s / 1000:.1f} Mbit/s"
    return "Stream is lost" if status.word == "lost" else "Stream opens"


def _recording_words(bridge: Bridge) -> str:
    running = [r for r in bridge.outputs.recordings if r.running]
    if not running:
        return "Recording opens"
    left = min((r.minutes_left for r in running if r.minutes_left is not None), default=None)
    low = f", {span_words(60 * left)} left" if left is not None and left < LOW_MIN else ""
    return f"Recording {clock_words(max(r.seconds for r in running))}{low}"
