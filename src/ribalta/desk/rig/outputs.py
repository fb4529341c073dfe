"""Where program goes: recordings with their proof, the stream, tally for others, and windows on other screens."""

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from ribalta.core.base.frames import RATES
from ribalta.core.base.spans import span_words
from ribalta.core.ports.shots import VIRTUAL
from ribalta.core.readiness.lines import Rating
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.outputs import SIZES, format_words
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.choose_file import ask_for_folder
from ribalta.desk.widgets.fields import Choice, Field, Form, button, heading, label

PROOF = QSize(256, 144)
WINDOWS = {"program": "Program", "clean": "Without titles", "multiview": "All pictures", "aux": "Auxiliary"}
WORDS = {"off": "off", "opening": "opening", "on": "on", "lost": "the line is lost, it is tried again"}


class OutputsPage(QWidget):
    """`window_wanted` is "program", "clean", "aux" or "multiview"."""

    window_wanted = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._proof_shown: object = None
        self.record = button("Record  Ctrl+R", lambda: bridge.act("record", on=True), "Program, and the cameras below")
        self.stop = self._held("Stop recording", "record")
        self.recording = label("", wrap=True)
        self.proof = label("")
        self.proof.setFixedSize(PROOF)
        self.folder = Field("Folder of recordings", lambda text: self._change(folder=text))
        self.choose = button("Choose …", self._choose)
        self.cameras = Field("Numbers of cameras to record too", self._cameras)
        self.expects = QCheckBox("Say so when the show is on and is not recorded")
        self.expects.clicked.connect(lambda on: self._change(expects_recording=on))
        self.stream_to = Field("Address to stream to", lambda text: self._change(stream_to=text))
        self.stream_to.setPlaceholderText("rtmp://host/path, or udp:// or tcp:// for MPEG-TS")
        self.kbit = Field("Kilobits a second", self._kbit)
        self.camera_sound = QCheckBox("With program's sound on each camera")
        self.camera_sound.setToolTip("So that an editor can line the files up by what is heard")
        self.camera_sound.clicked.connect(lambda on: self._change(camera_sound=on))
        self.one_encoding = QCheckBox("File and stream share one encoding: half the work")
        self.one_encoding.setToolTip(
            "The file is then as good as the stream. Without it, each has an encoding of its own."
        )
        self.one_encoding.clicked.connect(lambda on: self._change(one_encoding=on))
        self.stream = self._held("Go live", "stream")
        self.stream_stop = self._held("Stop the stream", "stream")
        self.streaming = label("", wrap=True)
        self.tally = label("", wrap=True)
        self.tally_host = Field("Receiver of tally: host:port")
        self.tally_host.setPlaceholderText("host:port")
        self.tally_version = Choice("TSL UMD version", {"5.0": "5.0", "3.1": "3.1"})
        self.tally_add = button("Tell it", partial(self._tally, False))
        self.tally_remove = button("No longer", partial(self._tally, True))
        self.lamps = QCheckBox("Light the cameras' own lamps")
        self.lamps.clicked.connect(lambda on: self._change(tally_cameras=on))
        self.virtual = QCheckBox("Program as a camera of this machine, for other programs")
        self.virtual.clicked.connect(lambda on: bridge.act("virtual_camera", on=on))
        self.virtual_said = label("", soft=True, wrap=True)
        self.aux = Choice("Auxiliary output", {"program": "program"}, lambda value: self._change(aux=value))
        formats = {f"{lines}p{rate}": format_words(f"{lines}p{rate}") for lines in SIZES for rate in RATES}
        self.format = Choice("Size of program", formats, lambda value: self._change(format=value))
        self.holds = label("", soft=True, wrap=True)
        self.format.setToolTip("Not while it is recorded or streamed")
        self._lay_out()
        self.refresh()

    def _held(self, text: str, action: str) -> QPushButton:
        """A button for what has to be held, so that nothing is stopped or shown to all by a slip."""
        made, call = (
            button(text, lambda: None, "Hold it until the ring is full"),
            Call(action=action, arguments={"on": True}),
        )
        made.pressed.connect(lambda: self._bridge.begin(call))
        made.released.connect(self._bridge.let_go)
        return made

    def _lay_out(self) -> None:
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(heading("Recording"))
        top = QHBoxLayout()
        top.addWidget(self.proof)
        beside = QVBoxLayout()
        line = QHBoxLayout()
        line.addWidget(self.record)
        line.addWidget(self.stop)
        beside.addLayout(line)
        beside.addWidget(self.recording, 1)
        top.addLayout(beside, 1)
        left.addLayout(top)
        block = QWidget()
        form = Form(block)
        line_of = QWidget()
        line = QHBoxLayout(line_of)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.folder, 1)
        line.addWidget(self.choose)
        form.add("Folder", line_of)
        form.add("Cameras too", self.cameras)
        form.add("", self.camera_sound)
        form.add_whole(self.expects)
        left.addWidget(block)
        left.addWidget(heading("Windows"))
        line = QHBoxLayout()
        for what, words in WINDOWS.items():
            line.addWidget(button(words, partial(self.window_wanted.emit, what), "F in it fills its screen"))
        left.addLayout(line)
        block = QWidget()
        form = Form(block)
        form.add("Auxiliary shows", self.aux)
        form.add("Program is", self.format)
        form.add_whole(self.holds)
        form.add_whole(self.virtual)
        form.add_whole(self.virtual_said)
        form.end()
        left.addWidget(block)
        left.addStretch(1)
        right.addWidget(heading("Stream"))
        block = QWidget()
        form = Form(block)
        form.add("To", self.stream_to)
        form.add("kbit/s", self.kbit)
        form.add_whole(self.one_encoding)
        right.addWidget(block)
        line = QHBoxLayout()
        line.addWidget(self.stream)
        line.addWidget(self.stream_stop)
        right.addLayout(line)
        right.addWidget(self.streaming)
        right.addWidget(heading("Tally for others (TSL UMD)"))
        line = QHBoxLayout()
        for part in (self.tally_host, self.tally_version, self.tally_add, self.tally_remove):
            line.addWidget(part)
        right.addLayout(line)
        right.addWidget(self.tally)
        right.addWidget(self.lamps)
        right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(24)
        whole.addLayout(left, 1)
        whole.addLayout(right, 1)

    def open_at(self, what: str) -> None:
        """“stream”: where its address is typed."""
        if what == "stream":
            self.stream_to.setFocus()

    def refresh(self) -> None:
        state, bridge = self._bridge.state, self._bridge
        outputs, live = state.show.outputs, state.output("recording")
        self.folder.show_text(outputs.folder)
        self.folder.setPlaceholderText("your folder for videos")
        numbers = [c.number for i in outputs.record_camera_ids if (c := state.show.camera(i)) is not None]
        self.cameras.show_text(", ".join(map(str, numbers)))
        self.expects.setChecked(outputs.expects_recording)
        self.record.setEnabled(not live.on)
        self.stop.setEnabled(live.on)
        self.recording.setText(self._recording_words())
        self._show_proof()
        self.stream_to.show_text(outputs.stream_to)
        self.kbit.show_text(str(outputs.stream_kbit_s))
        self.one_encoding.setChecked(outputs.one_encoding)
        self.camera_sound.setChecked(outputs.camera_sound)
        self.camera_sound.setEnabled(bool(outputs.record_camera_ids))
        on, status = state.output("stream").on, bridge.outputs.stream
        self.stream.setEnabled(not on)
        self.stream_stop.setEnabled(on)
        said = f"Stream: {WORDS[status.word]}"
        if status.word == "on":
            said += f", {status.kbit_s:.0f} kbit/s, {status.dropped} frames dropped"
        if status.again:
            said += f", opened again {status.again} times"
        self.streaming.setText(f"{said}. {status.trouble or state.output('stream').trouble}")
        self.virtual.setChecked(state.output(VIRTUAL).on)
        self.virtual_said.setText(state.output(VIRTUAL).trouble)
        self.virtual_said.setVisible(bool(state.output(VIRTUAL).trouble))
        rows = [f"{t.host}:{t.port}, version {t.version}" for t in outputs.tally]
        self.tally.setText("\n".join(rows) or "Nobody else is told what is on air.")
        self.lamps.setChecked(outputs.tally_cameras)
        words = {"program": "program", "clean": "program without titles", "next": "Next"}
        words |= {c.id: f"camera {c.number}" for c in sorted(state.show.cameras, key=lambda c: c.number)}
        if [self.aux.itemData(k) for k in range(self.aux.count())] != list(words):
            self.aux.clear()
            for value, word in words.items():
                self.aux.addItem(word, value)
        self.aux.show_value(outputs.aux)
        self.format.show_value(outputs.format)
        self.format.setEnabled(not any(state.output(name).on for name in ("recording", "stream", VIRTUAL)))
        held = next((x for x in bridge.readiness.now.lines if x.key == "machine.holds"), None)
        said = f"This machine {held.measured}." if held is not None else "Check says what this machine holds."
        wrong = held is not None and held.rating is not Rating.PASS
        self.holds.setText(f"! {held.subject}: {said}" if held is not None and wrong else said)
        palette = self.holds.palette()
        palette.setColor(self.holds.foregroundRole(), look.WRONG if wrong else look.SOFT)
        self.holds.setPalette(palette)

    def _recording_words(self) -> str:
        state = self._bridge.state
        recordings = self._bridge.outputs.recordings
        lines = []
        for one in recordings:
            camera = state.show.camera(one.what)
            called = f"Camera {camera.number}" if camera is not None else "Program"
            whole = int(one.seconds)
            how = f"{whole // 60}:{whole % 60:02d}"
            if not one.running:
                how += f", ended{': ' if one.trouble else ''}{one.trouble}"
            elif one.minutes_left is not None:
                how += f", {span_words(60 * one.minutes_left)} left on the disk"
            lost = f", {one.lost} frame{'s' if one.lost != 1 else ''} lost" if one.lost else ""
            lines.append(f"{called}: {how}{lost}\n{one.path.name}, H.264 {one.profile}")
        if not lines:
            return "Nothing is being recorded." + (f" {state.output('recording').trouble}").rstrip()
        return "\n".join(lines)

    def _show_proof(self) -> None:
        """The newest picture that could be read back from the file."""
        proof = next((r.proof for r in self._bridge.outputs.recordings if r.proof is not None), None)
        if proof is None:
            self.proof.setText("Here the file shows\nwhat was written last.")
            return
        if proof is self._proof_shown:
            return
        self._proof_shown = proof
        height, width = proof.shape[:2]
        image = QImage(proof.tobytes(), width, height, width * 3, QImage.Format.Format_BGR888)
        shape = Qt.AspectRatioMode.KeepAspectRatio
        self.proof.setPixmap(QPixmap.fromImage(image).scaled(PROOF, shape, Qt.TransformationMode.SmoothTransformation))

    # What is asked

    def _change(self, **changes: object) -> None:
        self._bridge.act("outputs.change", **changes)

    def _cameras(self, text: str) -> None:
        self._change(cameras=[int(part) for part in text.replace(",", " ").split() if part.isdigit()])

    def _kbit(self, text: str) -> None:
        self._change(stream_kbit_s=int(text) if text.isdigit() else text)

    def _choose(self) -> None:
        ask_for_folder(self, "Folder of recordings", Path.home(), lambda path: self._change(folder=str(path)))

    def _tally(self, remove: bool) -> None:
        host, _, port = self.tally_host.text().strip().rpartition(":")
        if not host:
            host, port = port, "8900"
        number: object = int(port) if port.isdigit() else port
        self._bridge.act("outputs.tally", host=host, port=number, version=self.tally_version.value(), remove=remove)
