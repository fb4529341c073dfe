"""How loud program was is a line of the as-run log, which a journal has too; it is no take, and in nobody's way."""

import json

from ribalta.core.engine.journal.replaying import opening_of
from ribalta.core.engine.journal.sittings import logs_of
from ribalta.core.handover.evening import Sitting, evening_of
from ribalta.core.handover.landings import landings_of
from ribalta.core.ports.as_run import Aired, SoundHeard
from ribalta.core.show.files.journal import line_of
from tests.core.hand_wound import Hall


def test_loudness_is_noted_kept_and_counts_as_nothing_else():
    hall = Hall()
    hall.turn(1.0)
    hall.act("ready.framing", camera=1, letter="Q")
    hall.turn(3.0)
    hall.act("take")
    for loudness in (-22.44, -19.0):
        hall.engine.report(SoundHeard(loudness), hall.clock.now_s())
        hall.turn(30.0)
    lines = hall.engine.as_run.lines
    assert [(line.kind, line.loudness) for line in lines[-2:]] == [(Aired.SOUND, -22.4), (Aired.SOUND, -19.0)]
    assert lines[-1].words == "-19.0 LUFS"
    assert landings_of(evening_of([Sitting(lines)], "x")).whole.takes == 1
    written = [line_of(opening_of(hall.opening, 100.0)), *(line_of(entry) for entry in hall.entries)]
    (log,) = logs_of(lambda: [json.loads(line) for line in written])
    assert log.log.lines == lines
