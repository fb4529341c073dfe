"""The open show as a file: saving it, what is unsaved, and what an earlier session left."""

from pathlib import Path

from ribalta.core.engine.loop import Engine
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Event, Notice, ShowEdited
from ribalta.core.ports.saving import SaveWanted
from ribalta.core.show.files.journal import Recovery
from ribalta.server.engine_host import EngineHost
from ribalta.server.foreign_show import ForeignShow
from ribalta.server.import_export.transfers import Transfers
from ribalta.server.inbox import Inbox
from ribalta.server.part import Part
from ribalta.server.persistence import Persistence


class ShowFile(Part):
    """Any thread may ask; nothing of it waits."""

    called = "the show's file"

    def __init__(
        self, host: EngineHost, persistence: Persistence, inbox: Inbox, foreign: ForeignShow, transfers: Transfers
    ) -> None:
        self.transfers = transfers
        self._host, self._persistence, self._inbox, self._foreign = host, persistence, inbox, foreign

    @property
    def path(self) -> Path | None:
        """None for a show without a file."""
        return self._persistence.path

    @property
    def unsaved(self) -> bool:
        return self._host.state.edits.count != self._persistence.saved_edits

    def save(self, path: Path | None = None) -> None:
        """Save in the background; a notice says how it went."""
        self._persistence.save(self._host.state, path)
        self._foreign.saved(self._host.state.show)

    def hear(self, event: Event, state: LiveState) -> None:
        if isinstance(event, SaveWanted):
            self.save()

    def picture(self, name: str) -> bytes | None:
        """JPEG bytes of a stored picture."""
        return self._persistence.pictures.get(name)

    def picture_waited_for(self, name: str) -> bytes | None:
        """The same: here it is always at hand."""
        return self.picture(name)

    @property
    def recovery(self) -> Recovery | None:
        """What an earlier session left unsaved, until that has been answered."""
        return self._persistence.recovery

    def answer_recovery(self, keep: bool) -> None:
        """Take over what the last session left unsaved, or drop it."""
        recovery, self._persistence.recovery = self._persistence.recovery, None
        if recovery is not None:
            self._inbox.put(lambda engine: self._answer(engine, recovery, keep))

    def _answer(self, engine: Engine, recovery: Recovery, keep: bool) -> None:
        if keep:
            engine.take_over(self._persistence.recovered(recovery), self._host.clock.now_s())
            self._inbox.say(ShowEdited("took back what was not saved"))
            self._inbox.say(Notice("What was not saved last time is back. Save the show to keep it."))
        else:
            recovery.forget()
            self._inbox.say(Notice("The unsaved changes of the last session were dropped."))

    @property
    def foreign_deeds(self) -> tuple[str, ...]:
        """What a show from elsewhere would do beyond this machine, until that has been answered; a phrase each."""
        return self._foreign.deeds

    def answer_deeds(self, yes: bool) -> None:
        """Let it do that from now on; or not, until it is opened again."""
        self._foreign.answer(yes)
