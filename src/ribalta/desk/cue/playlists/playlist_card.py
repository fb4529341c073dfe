"""A playlist among the others: its name, how many shots it has, how long they take, and whether it runs."""

from ribalta.core.base.spans import length_words
from ribalta.core.show.automation.playlists import FOR_EVER, EntryKind, Playlist
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.lists.listing import ListRow


def playlist_card(bridge: Bridge, playlist: Playlist) -> ListRow:
    running = bridge.state.automation.playlist
    runs = running is not None and running.playlist_id == playlist.id
    lengths = [playlist.length_s(e) for e in playlist.entries if not e.off and e.kind is not EntryKind.PLAYLIST]
    known = [s for s in lengths if s != FOR_EVER]
    count = len(playlist.entries)
    about = [f"{count} {'entry' if count == 1 else 'entries'}"]
    about += [length_words(round(sum(known), 1))] if known and len(known) == len(lengths) else []
    about += ["until stopped"] if playlist.times == 0 else [f"{playlist.times} times"] if playlist.times > 1 else []
    sign = "▶ " if runs else ""
    return ListRow(playlist.id, f"{sign}{playlist.name}\n{' · '.join(about)}", look.LAMP_WARM if runs else None)
