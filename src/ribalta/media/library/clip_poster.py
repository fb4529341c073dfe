"""The picture by which a clip is known in a list: one from near its beginning, as there is often black at first."""

import av
import av.error
import cv2

from ribalta.core.picture.colours import image_of
from ribalta.media import files
from ribalta.media.colour import Colours
from ribalta.media.library.clips import LARGEST

SHARE, LATEST_S = 0.1, 5.0  # how far in
WIDE = 640


def clip_poster(path: str) -> bytes | None:
    """A JPEG at most 640 pixels wide; None when the clip has no picture that can be read."""
    try:
        within = (files.OPEN_WITHIN_S, files.READ_WITHIN_S)
        with av.open(files.to_read(path), options=files.OPTIONS, timeout=within) as container:
            if not container.streams.video:
                return None
            length = container.duration or 0
            container.seek(int(min(length * SHARE, LATEST_S * av.time_base)))
            frame = next(iter(container.decode(video=0)), None)
            if frame is None or frame.width * frame.height > LARGEST:
                return None
            picture = image_of(Colours().picture(frame))
    except (OSError, ValueError, av.error.FFmpegError):
        return None
    wide = min(WIDE, picture.shape[1])
    size = (wide, max(1, round(picture.shape[0] * wide / picture.shape[1])))
    done, data = cv2.imencode(".jpg", cv2.resize(picture, size, interpolation=cv2.INTER_AREA))
    return data.tobytes() if done else None
