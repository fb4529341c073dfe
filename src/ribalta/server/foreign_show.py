"""What a show from elsewhere would do beyond this machine: asked about once, and not done before it is answered."""

from ribalta.core.engine.loop import Engine
from ribalta.core.ports.messages import Notice
from ribalta.core.show.document.deeds import deeds
from ribalta.core.show.document.model import Show
from ribalta.server.chores import Chores
from ribalta.server.inbox import Inbox
from ribalta.server.trust import KnownShows


class ForeignShow:
    """`known` says of which shows it was answered; None: of all. Any thread may ask and answer."""

    def __init__(self, show: Show, known: KnownShows | None, inbox: Inbox, chores: Chores) -> None:
        self.deeds: tuple[str, ...] = deeds(show) if known is not None and not known.knows(show) else ()
        self._known, self._inbox, self._chores = known, inbox, chores

    def answer(self, yes: bool) -> None:
        """Let the show do that from now on; or not, until it is opened again."""
        if yes:
            self._inbox.put(self._allow)

    def _allow(self, engine: Engine) -> None:
        self.deeds = ()
        self._learn(engine.state.show)
        self._inbox.say(Notice("From now on this show may do all that on this desk."))

    def saved(self, show: Show) -> None:
        """It is saved here: what it does now was wanted here, if there was nothing to answer."""
        if not self.deeds:
            self._learn(show)

    def _learn(self, show: Show) -> None:
        known = self._known
        if known is not None:
            self._chores.put(lambda: known.learn(show))
