"""What holds for a playlist as a whole: its name, how often it runs, and what it does when something else is taken."""

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QCheckBox, QWidget

from ribalta.core.show.automation.playlists import Playlist
from ribalta.desk.cue.playlists.words import ASIDES
from ribalta.desk.widgets.fields import Choice, Field, Form


class PlaylistSettings(QWidget):
    """`change` is called with what is to be different."""

    def __init__(self, change: Callable[..., None]) -> None:
        super().__init__()
        self._change = change
        self._playlist: Playlist | None = None
        self.name = Field("The playlist's name", lambda text: change(name=text))
        self.times = Field("How often", partial(self._number, "times"), "0: until it is stopped")
        self.tempo = Field("Beats a minute", partial(self._number, "tempo_bpm"))
        self.aside = Choice(
            "When something else is taken", {str(a): w for a, w in ASIDES.items()}, lambda v: change(aside=v)
        )
        self.shuffle = QCheckBox("In an order drawn by lot")
        self.shuffle.clicked.connect(lambda on: change(shuffle=on))
        form = Form(self)
        form.add("Name", self.name)
        form.add("Times", self.times, "Beats a minute", self.tempo)
        form.add("Taken by hand", self.aside)
        form.add_whole(self.shuffle)

    def show_playlist(self, playlist: Playlist | None) -> None:
        """None: something else is shown in its place."""
        self._playlist = playlist
        self.setVisible(playlist is not None)
        if playlist is not None:
            self.name.show_text(playlist.name, playlist)
            self.times.show_text(str(playlist.times), playlist)
            self.tempo.show_text(f"{playlist.tempo_bpm:g}", playlist)
            self.shuffle.setChecked(playlist.shuffle)
            self.aside.show_value(str(playlist.aside))

    def _number(self, name: str, text: str) -> None:
        try:
            self._change(**{name: int(text) if name == "times" else float(text.replace(",", "."))})
        except ValueError:
            self.show_playlist(self._playlist)
