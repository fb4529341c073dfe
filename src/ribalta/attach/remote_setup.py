"""Checking, closing down, setting up and moving files, as a desk has them: what is asked goes to the server."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from ribalta.attach.remote_parts import Ask, Told
from ribalta.core.ports.crew import EveningEnd
from ribalta.core.readiness.lines import Progress
from ribalta.core.show.document.profiles import Profile
from ribalta.core.survey.job import Job, Kind


class RemoteReadiness:
    """Looking at everything before doors."""

    def __init__(self, ask: Ask, told: Told) -> None:
        self._ask, self._told = ask, told

    @property
    def now(self) -> Progress:
        """How the check stands."""
        found: Progress = self._told.get("readiness.now", Progress())
        return found

    def begin(self) -> None:
        """Look at everything."""
        self._ask("readiness.begin")

    def cancel(self) -> None:
        """End it before it is done."""
        self._ask("readiness.cancel")


class RemoteClosing:
    """How the end of the evening goes."""

    def __init__(self, told: Told) -> None:
        self._told = told

    @property
    def now(self) -> EveningEnd:
        """Each part of it, with what happened."""
        found: EveningEnd = self._told.get("closing.now", EveningEnd())
        return found


class RemoteCameraJobs:
    """Finding, checking, measuring and comparing cameras."""

    def __init__(self, ask: Ask, told: Told) -> None:
        self._ask, self._told = ask, told

    @property
    def jobs(self) -> Mapping[tuple[Kind, str], Job]:
        found: Mapping[tuple[Kind, str], Job] = self._told.get("setup.jobs.jobs", {})
        return found

    def begin(self, kind: Kind, camera_id: str) -> None:
        """Begin work on a camera."""
        self._ask("setup.jobs.begin", kind, camera_id)

    def cancel(self, kind: Kind, camera_id: str) -> None:
        """End it before it is done."""
        self._ask("setup.jobs.cancel", kind, camera_id)

    def find(self, where: str) -> None:
        """Look for cameras at an address or range; empty: ask the network."""
        self._ask("setup.jobs.find", where)

    def profiles(self) -> Sequence[Profile]:
        """Camera models."""
        found: Sequence[Profile] = self._told.get("setup.jobs.profiles", ())
        return found


class RemotePlacing:
    """Where cameras stand, worked out from marks."""

    def __init__(self, ask: Ask, told: Told) -> None:
        self._ask, self._told = ask, told

    def take_sight(self, camera_id: str, mark_id: str) -> None:
        """The camera has a mark in the middle of its picture now."""
        self._ask("setup.placing.take_sight", camera_id, mark_id)

    def forget_sights(self, camera_id: str) -> None:
        """Begin again."""
        self._ask("setup.placing.forget_sights", camera_id)

    def solve_place(self, camera_id: str) -> None:
        """Work out where it stands."""
        self._ask("setup.placing.solve_place", camera_id)

    def sight_words(self, camera_id: str) -> str:
        """What has been noted so far."""
        words: Mapping[str, str] = self._told.get("setup.placing.words", {})
        return words.get(camera_id, "")


class RemotePasswords:
    """Passwords are kept where the show is."""

    def __init__(self, ask: Ask) -> None:
        self._ask = ask

    def keep(self, where: str, user: str, password: str) -> None:
        """`where` is an address."""
        self._ask("setup.passwords.keep", where, user, password)


class RemoteTransfers:
    """Files into the show and out of it, read and written by the server; what a desk makes itself it writes itself."""

    def __init__(self, ask: Ask, beside: Callable[[Callable[[], str]], None]) -> None:
        self._ask, self._beside = ask, beside

    def bring_in_plan(self, path: Path, units_per_m: float) -> None:
        """A floor plan; in an SVG so many units are a metre."""
        self._ask("transfers.bring_in_plan", path.absolute(), units_per_m)

    def write_out_plan(self, path: Path) -> None:
        """The floor plan."""
        self._ask("transfers.write_out_plan", path.absolute())

    def write_out_framings(self, path: Path) -> None:
        """All framings as a table, with their pictures."""
        self._ask("transfers.write_out_framings", path.absolute())

    def bring_in_framings(self, path: Path) -> None:
        """Framings from a table or another show."""
        self._ask("transfers.bring_in_framings", path.absolute())

    def bring_in_media(self, paths: Sequence[Path]) -> None:
        """Stills, clips and decks."""
        self._ask("transfers.bring_in_media", tuple(path.absolute() for path in paths))

    def bring_in_title(self, path: Path) -> None:
        """A drawing with named texts."""
        self._ask("transfers.bring_in_title", path.absolute())

    def bring_in_rows(self, title_id: str, path: Path) -> None:
        """A table for a title's texts."""
        self._ask("transfers.bring_in_rows", title_id, path.absolute())

    def bring_in_playlist(self, path: Path) -> None:
        """A playlist from a table."""
        self._ask("transfers.bring_in_playlist", path.absolute())

    def write_out_playlist(self, playlist_id: str, path: Path) -> None:
        """A playlist as a table."""
        self._ask("transfers.write_out_playlist", playlist_id, path.absolute())

    def write(self, work: Callable[[], str]) -> None:
        """What a desk makes (a sheet): beside everything else; what it says is told here."""
        self._beside(work)


@dataclass
class RemoteSetup:
    """What sets cameras up."""

    jobs: RemoteCameraJobs
    placing: RemotePlacing
    passwords: RemotePasswords
