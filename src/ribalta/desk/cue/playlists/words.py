"""What playlists are called and told in words."""

from ribalta.core.engine.views.playlist_outlook import Outlook
from ribalta.core.show.automation.playlists import Aside
from ribalta.core.show.document.model import Show
from ribalta.desk.painting import look

ASIDES = {
    Aside.WAIT: "wait until it is rejoined",
    Aside.COME_BACK: "come back by itself",
    Aside.STOP: "stop",
}


def late_words(show: Show, outlook: Outlook, count: int, chosen: int) -> str:
    """How many cuts come late, and by how much at the entry `chosen`, from 0 in the order of the round."""
    entry = outlook.foretold[chosen]
    camera = show.camera(entry.cause)
    who = f"camera {camera.number}" if camera is not None else "its camera"
    many = "One cut is" if count == 1 else f"{count} cuts are"
    first = f"entry {outlook.plays[chosen].place + 1}: {who} is {look.seconds(entry.late_s)} s late"
    return f"{many} late. At {first}. What would mend it:"
