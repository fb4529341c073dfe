"""What a key does, in the few words that a key of a drawn keyboard has room for."""

from collections.abc import Mapping

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.automation.calls import Call, arguments_of
from ribalta.core.show.document.scenes import SLOTS

SHORT = {
    "row.key": "camera {number}",
    "board.bank": "other cameras",
    "ready.framing": "ready {letter}",
    "queue.framing": "Then {letter}",
    "framing.store": "store on {letter}",
    "row.scenes": "scenes",
    "take": "cut to Next",
    "take.transition": "take with transition",
    "unready": "unready",
    "take.release": "let go",
    "cover": "cover shot",
    "transition.set": "{kind}",
    "transition.normal": "back to normal",
    "transition.make_normal": "make it normal",
    "transition.reverse": "turn it back",
    "mark.see": "who {number}",
    "mark.another": "next best of who",
    "layer.switch": "{slot}",
    "slide": "slide",
    "record": "record, held: stop",
    "stop.running": "stop all",
    "macro.stop": "stop macros",
    "macro.continue": "go on",
    "macro.record": "record macro",
    "playlist.stop": "stop playlist",
    "playlist.skip": "next entry",
    "playlist.rejoin": "rejoin playlist",
    "voice.mode": "voice follow",
    "voice.resume": "voice goes on",
    "clear": "clear",
    "black": "black",
    "card": "holding card",
    "trim": "trim Next",
    "trim.keep": "keep trim",
    "trim.drop": "drop trim",
    "board.page": "turn page",
    "landing.next_rule": "landing rule",
    "edit.undo": "undo",
    "edit.redo": "redo",
    "show.save": "save",
    "desk.keys": "keys, guide",
    "desk.view": "{view}",
    "desk.find": "find anything",
    "desk.notices": "what was said",
    "desk.pads": "pads",
    "desk.marks": "who is seen",
    "desk.why": "why it moved",
    "desk.full_screen": "full screen",
    "desk.lock": "lock this desk",
    "desk.rename": "rename",
    "desk.lock_framing": "lock",
    "desk.remove": "remove",
}
SLOT_WORDS = {slot: f"inset {k}" for k, slot in enumerate(SLOTS[:4], 1)} | {"key": "key source"}
SLOT_WORDS |= {slot: f"title {k}" for k, slot in enumerate(SLOTS[5:], 1)}
GROUPS: Mapping[str, tuple[str, ...]] = {
    "Select and ready": ("row", "board", "ready", "queue", "mark"),
    "Take": ("take", "unready", "cover", "transition", "landing"),
    "Over the picture": ("layer", "slide", "title", "clear", "black", "card"),
    "Frame and store": ("framing", "trim", "desk.rename", "desk.lock_framing", "desk.remove"),
    "Runs by itself": ("macro", "playlist", "voice", "talk", "stop"),
    "Show and desk": ("show", "edit", "record", "stream", "desk", "pad"),
}


def short_words(state: LiveState, call: Call) -> str:
    """Of a call on a key, now."""
    row = CATALOGUE.by_id.get(call.action)
    if row is None:
        return "of a newer version"
    if call.action not in SHORT:
        return row.sentence.split("{")[0].strip(" :,").lower() if row.says is None else _said(state, call)
    arguments = {name: str(value) for name, value in call.arguments.items()}
    arguments["slot"] = SLOT_WORDS.get(arguments.get("slot", ""), "overlay")
    words = SHORT[call.action].format_map(_Blank(arguments))
    if call.arguments.get("live"):
        return f"on air to {arguments.get('letter', '')}"
    return f"{words} ahead" if call.arguments.get("with_next") else words.strip()


def _said(state: LiveState, call: Call) -> str:
    row = CATALOGUE.by_id[call.action]
    try:
        params = row.params.model_validate(arguments_of(state.show, call))
        return row.says(state, params) if row.says is not None else ""
    except Exception:  # what it refers to is gone: the page of shortcuts says more
        return "broken"


class _Blank(dict[str, str]):
    def __missing__(self, name: str) -> str:
        return ""


def group_of(action: str) -> str:
    """The heading that an action belongs under."""
    family = action.split(".")[0]
    exact = next((group for group, names in GROUPS.items() if action in names), None)
    return exact or next((group for group, names in GROUPS.items() if family in names), "Show and desk")
