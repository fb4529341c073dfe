"""Arguments only: which command, with what. Each command's work is elsewhere."""

import argparse
import json
import os
import sys
from collections.abc import Sequence
from pathlib import Path

from ribalta import __version__
from ribalta.core.base.faults import RibaltaFault
from ribalta.workers import garbage


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> "None":  # type: ignore[override]
        raise SystemExit(_complain(f"{message}. `{self.prog} --help` lists what there is"))


def _complain(sentence: str) -> int:
    print(f"ribalta: {sentence.rstrip('.')}.", file=sys.stderr)
    return 2


def _net(text: str) -> str:
    parts = text.split(".")
    if len(parts) != 3 or parts[0] != "127" or not all(x.isdigit() and int(x) < 256 for x in parts):
        raise ValueError
    return text


_net.__name__ = "block of loopback addresses (127.20.1)"


def argument_parser() -> argparse.ArgumentParser:
    """Of the whole command line; completion and the man page are made from it."""
    parser = _Parser(prog="ribalta", description="A desk for a live director: every cut lands on a prepared framing.")
    parser.add_argument("--version", action="version", version=f"ribalta {__version__}")
    commands = parser.add_subparsers(
        dest="command",
        metavar="COMMAND",
        parser_class=_Parser,
        description="Without one: a page of shows to open.",
    )
    show = commands.add_parser("open", help="open a show; without one, a page of shows to open")
    show.add_argument("show", type=Path, nargs="?", metavar="SHOW.ribalta")
    show.add_argument("--recover", choices=("take", "drop"), help="answer the offer of unsaved changes beforehand")
    new = commands.add_parser("new", help="begin an empty show and set up its cameras")
    new.add_argument("show", type=Path, metavar="SHOW.ribalta")
    demo = commands.add_parser("demo", help="open the Clay Cup final with simulated cameras")
    demo.add_argument("--show", type=Path, metavar="FILE", help="where the demo's show is kept")
    demo.add_argument("--fresh", action="store_true", help="begin again from the show as it is shipped")
    demo.add_argument("--guided", action="store_true", help="with advice on what to press, and why")
    practice = commands.add_parser(
        "practice", help="open a copy of a show on simulated cameras: nothing real is reached"
    )
    practice.add_argument("show", type=Path, metavar="SHOW.ribalta")
    served = commands.add_parser("serve", help="run a show without a window; `ribalta desk` opens one on it")
    served.add_argument("show", type=Path, metavar="SHOW.ribalta")
    served.add_argument("--demo", action="store_true", help="with the simulated cameras of the demo")
    served.add_argument("--practice", action="store_true", help="on simulated cameras that stand where the show's do")
    served.add_argument("--resume", action="store_true", help="go on where a server that died has left off")
    served.add_argument("--ready", type=int, default=-1, metavar="FILE", help=argparse.SUPPRESS)
    door = commands.add_parser("door")  # started by a server whose guests' door is opened; nobody types it
    door.add_argument("socket", type=Path)
    door.add_argument("port", type=int)
    door.add_argument("--beyond", action="store_true")
    door.add_argument("--host", default="0.0.0.0")
    line = commands.add_parser("station")  # started by `ribalta desk --at`; nobody types it
    line.add_argument("link")
    line.add_argument("--listen", type=Path, required=True)
    line.add_argument("--fingerprint", default="")
    line.add_argument("--name", default="")
    line.add_argument("--ready", type=int, default=-1)
    desk = commands.add_parser("desk", help="open a window on a show that runs on this machine, or on another")
    desk.add_argument("--at", metavar="LINK", help="of an invitation: a show on another machine")
    desk.add_argument(
        "--fingerprint", default="", metavar="SHA256", help="of that machine's certificate, as its Rig shows it"
    )
    desk.add_argument("--name", default="", help="who sits here, for the crew over there")
    desk.add_argument("show", nargs="?", metavar="NAME", help="which, where several run")
    desk.add_argument(
        "--view", choices=("Rig", "Frame", "Cue", "Check", "Air", "Wrap"), help="the view that it opens with"
    )
    tally = commands.add_parser("tally-display", help="a window that shows the tally that it is sent (TSL UMD)")
    tally.add_argument("--host", default="127.0.0.1")
    tally.add_argument("--port", type=int, default=8900)
    receive = commands.add_parser("receive", help="receive a stream and say each second what arrives")
    receive.add_argument("address", metavar="ADDRESS", help="rtmp://127.0.0.1:1935/live/show, tcp:// or udp://")
    standins = commands.add_parser("standins", help="run the simulated cameras by themselves")
    standins.add_argument("--name", default="ribalta-standins", help="beginning of the names of their pictures")
    standins.add_argument("--net", type=_net, default=None, help="their addresses: 127.20.1 makes 127.20.1.1 and so on")
    standins.add_argument("--seed", type=int, default=1, help="for their delays")
    standins.add_argument("--cameras", type=Path, metavar="FILE.json", help="others than those of the demo")
    standins.add_argument(
        "--stamp", action="store_true", help="the time is drawn into every picture, to measure delays"
    )
    standins.add_argument(
        "--keep-up",
        action="store_true",
        help="do not give way to whoever uses the cameras, with people who move seldom in smaller pictures: for tests",
    )
    standins.add_argument("--with-parent", type=int, metavar="PID", help="end when the process that started them does")
    rehearse = commands.add_parser(
        "rehearse", help="run a playlist, a macro or a conversation without anybody watching"
    )
    rehearse.add_argument("show", type=Path, metavar="SHOW.ribalta")
    what = rehearse.add_mutually_exclusive_group(required=True)
    what.add_argument("--playlist", metavar="NAME")
    what.add_argument("--macro", metavar="NAME")
    what.add_argument("--voice", type=Path, metavar="SCRIPT.json", help="voice follow, on a scripted conversation")
    rehearse.add_argument("--minutes", type=float, default=60.0, help="of the show at most (60)")
    rehearse.add_argument("--json", action="store_true", help="one JSON object instead of a list")
    replay = commands.add_parser("replay", help="say from a show's journal what went on air, and how it landed")
    replay.add_argument("show", type=Path, metavar="SHOW.ribalta")
    replay.add_argument("--until", metavar="TIME", help="stop at a time of day (21:30 or 21:30:15)")
    replay.add_argument("--json", action="store_true", help="one JSON object instead of a list")
    check = commands.add_parser("check", help="look before doors at what would fail: cameras, cues, sound, outputs …")
    check.add_argument("show", type=Path, metavar="SHOW.ribalta")
    check.add_argument("--demo", action="store_true", help="with the simulated cameras of the demo")
    check.add_argument("--all", action="store_true", help="also the lines that are well")
    check.add_argument("--json", action="store_true", help="one JSON object with all lines")
    landings = commands.add_parser("landings", help="say what landed, evening by evening, and what would help most")
    landings.add_argument("show", type=Path, metavar="SHOW.ribalta")
    landings.add_argument("--json", action="store_true", help="say what is being done as JSON, a line each")
    handover = commands.add_parser("handover", help="write the log, edit lists, chapters and the report of an evening")
    handover.add_argument("show", type=Path, metavar="SHOW.ribalta")
    handover.add_argument("folder", type=Path, metavar="DIR", help="where to; it is made if it is not there")
    handover.add_argument("--recordings", type=Path, metavar="DIR", help="where the recordings are, if they were moved")
    handover.add_argument("--json", action="store_true", help="say what is being done as JSON, a line each")
    handover.add_argument("--quiet", action="store_true", help="say only what came of it")
    small = commands.add_parser("thumbnail", help="write a small picture of a show, for file managers")
    small.add_argument("show", type=Path, metavar="SHOW.ribalta")
    small.add_argument("picture", type=Path, metavar="PICTURE.png")
    small.add_argument("--size", type=int, default=256, help="how wide, in pixels (256)")
    profile = commands.add_parser("profile", help="check the profile of a camera model")
    profile.add_argument("profile", type=Path, metavar="FILE.json")
    commands.add_parser("schema", help="print the JSON Schema of a show")
    pages = commands.add_parser("manual", help="write the manual of actions, and the schemas of actions and shortcuts")
    pages.add_argument("folder", type=Path, metavar="DIR")
    shots = commands.add_parser("screenshots", help="take the pictures of the manual from the demo")
    shots.add_argument("folder", type=Path, metavar="DIR")
    return parser


def _run(arguments: argparse.Namespace) -> int | tuple[str, ...]:
    if arguments.command == "schema":
        from ribalta.core.show.document.model import Show

        print(json.dumps(Show.model_json_schema(), indent=2))
        return 0
    if arguments.command == "manual":
        from ribalta.app.manual import write

        write(arguments.folder)
        return 0
    if arguments.command == "profile":
        from ribalta.core.show.document.profiles import own_folder, read_profile

        found = read_profile(arguments.profile)
        print(f"“{found.name}” is whole. Put it into {own_folder()} to choose it in Rig.")
        return 0
    if arguments.command == "rehearse":
        from ribalta.app.rehearse import rehearse_show

        return rehearse_show(arguments)
    if arguments.command == "replay":
        from ribalta.app.replay import replay_show

        return replay_show(arguments)
    if arguments.command == "check":
        from ribalta.app.check import check_show

        return check_show(arguments)
    if arguments.command == "thumbnail":
        from ribalta.app.thumbnail import thumbnail

        return thumbnail(arguments)
    if arguments.command == "landings":
        from ribalta.app.landings import tell_landings

        return tell_landings(arguments)
    if arguments.command == "handover":
        from ribalta.app.handover.command import hand_over

        return hand_over(arguments)
    if arguments.command == "tally-display":
        from ribalta.standins.tally_display import show

        return show(arguments.host, arguments.port)
    if arguments.command == "receive":
        from ribalta.standins.receiver import watch

        return watch(arguments.address)
    if arguments.command == "standins":
        from ribalta.standins.process import run

        return run(
            arguments.name,
            arguments.net or "",
            arguments.seed,
            arguments.with_parent,
            arguments.cameras,
            arguments.stamp,
            arguments.keep_up,
        )
    if arguments.command == "door":
        from ribalta.app.door import keep_door

        return keep_door(arguments.socket, arguments.port, arguments.beyond, arguments.host)
    if arguments.command == "station":
        from ribalta.app.station import keep_line

        return keep_line(arguments.link, arguments.fingerprint, arguments.name, arguments.listen, arguments.ready)
    if arguments.command == "serve":
        from ribalta.app.serve import serve_demo, serve_practice, serve_show

        served = serve_practice if arguments.practice else serve_demo if arguments.demo else serve_show
        return served(arguments.show, arguments.ready, arguments.resume)
    from ribalta.app import launch

    if arguments.command is None:
        return launch.start_page()
    if arguments.command == "desk":
        if arguments.at:
            return launch.station(arguments.at, arguments.fingerprint, arguments.name, arguments.view or "")
        return launch.desk(arguments.show, arguments.view or "")
    if arguments.command == "demo":
        return launch.demo(arguments.show, arguments.fresh, arguments.guided)
    if arguments.command == "practice":
        return launch.practise(arguments.show)
    if arguments.command == "new":
        return launch.new_show(arguments.show)
    if arguments.command == "screenshots":
        return launch.screenshots(arguments.folder)
    return launch.open_show(arguments.show, arguments.recover) if arguments.show is not None else launch.start_page()


def main(argv: Sequence[str] | None = None) -> int:
    parser = argument_parser()
    arguments = parser.parse_args(argv)
    if arguments.command in (None, "open", "new", "demo", "practice", "desk", "serve"):
        garbage.put_off()  # until what is needed is loaded
    try:
        ended = _run(arguments)
        if isinstance(ended, tuple):  # somebody has chosen another show: a process that has nothing of this one
            os.execv(sys.executable, (sys.executable, "-m", "ribalta", *ended))
        return ended
    except RibaltaFault as fault:
        return _complain(str(fault))
    except KeyboardInterrupt:
        return 130
