"""`kill -9` at random moments while framings are stored, renamed and moved, each followed by opening the show again.

What was told of is what the process had printed before it was killed: how all framings stood after an edit. `lost`
counts framings of those that are neither in the show file nor in the journal, or that are not offered at the opening.
"""

import json
import os
import random
import select
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.common.where import steal_percent
from ribalta.core.show.document.model import Camera, Control, Head, PictureSource, Settings, Show
from ribalta.core.show.files.journal import find_recovery, journal_path, lines_of, past_journals, unpacked
from ribalta.core.show.files.storage import StoredShow, load, parse_show, save
from ribalta.standins.frames import FrameFile
from ribalta.standins.head import Stand

LETTERS = "QWERTASDFG"
WORKER = """
import json, random, sys, threading, time
from pathlib import Path
from ribalta.server.session import Session
from ribalta.core.base.aim import Aim
from ribalta.core.ports.messages import Contact, Position, ShowEdited
from ribalta.core.show.files.storage import load

path, chance = Path(sys.argv[1]), random.Random(int(sys.argv[2]))
session = Session(load(path), path)

done = threading.Event()

def told(event):
    if isinstance(event, ShowEdited):
        framings = [[f.id, f.name, f.slot, f.pan_deg] for f in session.state.show.framings]
        print(json.dumps(framings), flush=True)
        done.set()

session.listen(told)
session.start()
if session.file.recovery is not None:
    session.file.answer_recovery(True)
session.host.report(Contact("c1", True))
k = 0
while True:
    k += 1
    letter, what = chance.choice("QWERTASDFG"), chance.random()
    if what < 0.5:
        aim = Aim(round(chance.uniform(-50, 50), 2), 0.0, 0.1)
        for _ in range(8):
            session.host.report(Position("c1", aim, session.clock.now_s()))
            time.sleep(0.03)
    done.clear()
    if what < 0.5:
        session.act("framing.store", {"camera": 1, "letter": letter, "overwrite": True})
    elif what < 0.8:
        session.act("framing.rename", {"camera": 1, "letter": letter, "name": f"Name {k}"})
    elif what < 0.97:
        session.act("framing.move", {"camera": 1, "letter": letter, "to_letter": chance.choice("QWERTASDFG")})
    else:
        session.file.save()
    done.wait(chance.choice((0.2, 0.3)))  # else what is printed might be of a later edit than the one that is told
"""


def run(kills: int) -> dict[str, float | int]:
    chance, steal = random.Random(1), steal_percent()
    lost = told = damaged = pictures = 0
    name = f"ribalta-kills-{os.getpid()}-1"
    frames = FrameFile(name)
    with tempfile.TemporaryDirectory(prefix="ribalta-kills-") as folder:
        path = Path(folder) / "show.ribalta"
        by = Control(port=1)
        camera = Camera(id="c1", number=1, name="One", head=Head(), control=by, picture=PictureSource(name=name))
        save(path, StoredShow(Show(cameras=(camera,), settings=Settings(cover_camera_id=None))))
        for k in range(kills):
            last = _one(path, k, chance, frames)
            if last is None:
                continue
            told += 1
            try:
                stored = load(path)
                recovery = find_recovery(path, stored)
            except Exception:
                damaged += 1
                continue
            shows = [stored.show, *_kept(path)]
            known = [_framings(show) for show in shows]
            lost += 0 if last in known else len(last)
            newest = recovery.stored if recovery is not None else stored
            lost += 0 if _framings(newest.show) == known[-1] or recovery is None else len(known[-1])
            pictures += sum(f.picture in newest.pictures for f in newest.show.framings if f.picture)
    frames.close()
    return {
        "kills": kills,
        "with_edits": told,
        "lost": lost,
        "damaged": damaged,
        "pictures_found": pictures,
        "steal_percent": steal(),
    }


def _framings(show: Show) -> list[list[object]]:
    return [[f.id, f.name, f.slot, f.pan_deg] for f in show.framings]


def _kept(path: Path) -> list[Show]:
    """The documents of all edits that are in the newest journals, in order."""
    found = []
    for journal in (*past_journals(path)[-2:], journal_path(path)):
        for line in lines_of(journal) if journal.exists() else ():
            if isinstance(line.get("keep"), str):
                found.append(parse_show(unpacked(line["keep"]), "It"))
    return found


def _one(path: Path, seed: int, chance: random.Random, frames: FrameFile) -> list[list[object]] | None:
    """What was last told of before it was killed."""
    child = subprocess.Popen(
        [sys.executable, "-c", WORKER, str(path), str(seed)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )
    assert child.stdout is not None
    os.set_blocking(child.stdout.fileno(), False)
    heard, poll, end_s = b"", select.poll(), time.monotonic() + 20
    poll.register(child.stdout, select.POLLIN)
    lives_s: float | None = None
    while time.monotonic() < end_s:
        frames.begin(1)[:] = chance.randrange(255)
        frames.publish(1, time.monotonic(), Stand(0, 0, 0))
        if poll.poll(10):
            heard += child.stdout.read() or b""
        if heard and lives_s is None:
            lives_s = time.monotonic() + chance.uniform(0.0, 1.2)
        if lives_s is not None and time.monotonic() >= lives_s:
            break
    os.kill(child.pid, signal.SIGKILL)
    child.wait()
    heard += child.stdout.read() or b""
    child.stdout.close()
    whole = [line for line in heard.split(b"\n")[:-1] if line]
    found: list[list[object]] | None = json.loads(whole[-1]) if whole else None
    return found
