"""Passwords and stream keys of a running show: kept by this desk, never in the show, the journal or a notice."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.withheld import STREAM_KEY, STREAM_LOGIN, same_host, whole_stream, without_secrets
from ribalta.core.ports.messages import Notice
from ribalta.core.show.document.model import Camera, Control, PictureSource
from ribalta.devices.secrets import Secrets
from ribalta.server.chores import Chores
from ribalta.server.inbox import Inbox

FILED = "This desktop has no keyring: the password is kept in a file that only you can read."


class Passwords:
    """Any thread may call these. `where` is an address. Getting one may wait for a keyring."""

    def __init__(self, secrets: Secrets, inbox: Inbox, chores: Chores) -> None:
        self.secrets = secrets
        self._inbox, self._chores = inbox, chores
        self._listeners: list[Callable[[], None]] = []

    def on_change(self, listener: Callable[[], None]) -> None:
        """Be called on the engine's thread when a password has changed."""
        self._listeners.append(listener)

    def keep(self, where: str, user: str, password: str) -> None:
        """Into the desktop's keyring, or into a file of the user's own with a notice."""

        def put() -> None:
            if not self.secrets.put(where, user, password):
                self._inbox.say(Notice(FILED))
            self._inbox.put(lambda _: self._changed())

        self._chores.put(put)

    def _changed(self) -> None:
        for listener in self._listeners:
            listener()

    def taken_out(self, action_id: str, arguments: Mapping[str, Any]) -> Mapping[str, Any]:
        """What somebody typed without what is nobody's business: that is kept before anything else sees it."""
        clean, found = without_secrets(CATALOGUE.by_id.get(action_id), arguments)
        for one in found:
            self.keep(one.where, one.user, one.secret)
        return clean

    def of_control(self, control: Control) -> str:
        """The password for steering a camera; "" when none is known."""
        return self.secrets.get(f"{control.host}:{control.port}", control.user)

    def control_changes(self, control: Control) -> int:
        """How often that has been typed."""
        return self.secrets.changes(f"{control.host}:{control.port}", control.user)

    def of_picture(self, picture: PictureSource, cameras: Sequence[Camera]) -> str:
        """Its own; or that of the head of the same camera, if both are one device with one user."""
        own = self.secrets.get(picture.name, picture.user)
        where = _control_of(picture, cameras)
        return own or (self.secrets.get(where, picture.user) if where else "")

    def picture_changes(self, picture: PictureSource, cameras: Sequence[Camera]) -> int:
        """How often the password of a picture has been typed."""
        where = _control_of(picture, cameras)
        mine = self.secrets.changes(picture.name, picture.user)
        return mine + (self.secrets.changes(where, picture.user) if where else 0)

    def whole_stream(self, address: str) -> str:
        """The stream's address with its login and key."""
        get = self.secrets.get
        return whole_stream(address, get(address, STREAM_LOGIN), get(address, STREAM_KEY))


def _control_of(picture: PictureSource, cameras: Sequence[Camera]) -> str:
    """Where the head of the device is that a picture comes from, if it has the same user."""
    for camera in cameras:
        control = camera.control
        if camera.picture != picture or control is None or control.user != picture.user:
            continue
        if same_host(picture.name, control.host):
            return f"{control.host}:{control.port}"
    return ""
