"""What the Clay Cup's crew prepared to go over and between the pictures: scenes, titles, slides and a logo."""

from ribalta.core.show.document.model import Framing
from ribalta.core.show.document.scenes import Inset, Medium, Scene, Source, Title

BEFORE_S, TONIGHT_S = 1795449600.0, 1795536000.0  # the evening before the final, and its own
POTTERS = (
    ("Ines Corrin", "Wide bowls, twelve years at the wheel"),
    ("Bram Tolvey", "Teapots that pour without a drip"),
    ("Suri Okande", "Last year's second place"),
    ("Jory Pell", "Youngest in the final, nineteen"),
)
SLIDES = (
    ("Three rounds", ("The bowl: 25 minutes", "The lidded jar: 40 minutes", "Free choice: 60 minutes")),
    ("What the jury looks for", ("Walls of even strength", "A foot that stands", "A line that was meant")),
    ("And then the kiln", ("Firing begins at nine", "It opens tomorrow at noon")),
)
DRAWING = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1280 720" width="1280" height="720">{}</svg>'


def slide(title: str, lines: tuple[str, ...], number: int) -> bytes:
    """One of the deck, as a drawing."""
    type_ = 'font-family="Fira Sans" fill="#f1e8da"'
    ground = '<rect width="1280" height="720" fill="#2a211a"/>'
    parts = [ground, '<rect x="96" y="196" width="220" height="6" fill="#ffcb7d"/>']
    parts.append(f'<text x="96" y="170" font-size="64" font-weight="600" {type_}>{title}</text>')
    for k, line in enumerate(lines):
        parts.append(f'<text x="96" y="{300 + 84 * k}" font-size="44" {type_}>{line}</text>')
    parts.append(f'<text x="1184" y="660" font-size="28" text-anchor="end" {type_}>{number}</text>')
    return DRAWING.format("".join(parts)).encode()


def files() -> dict[str, bytes]:
    return {f"slide-{k}.svg": slide(title, lines, k) for k, (title, lines) in enumerate(SLIDES, 1)}


def media() -> tuple[Medium, ...]:
    deck = tuple(f"slide-{k}.svg" for k in range(1, len(SLIDES) + 1))
    return (
        Medium(id="b1", name="The rounds", kind="deck", files=deck),
        Medium(id="b2", name="Glaze blue", kind="colour", colour="#1c3a52"),
    )


def titles() -> tuple[Title, ...]:
    rows = tuple((("name", name), ("what", what)) for name, what in POTTERS)
    return (
        Title(
            id="t1",
            name="Potter",
            template="lower third",
            fields=rows[0],
            rows=rows,
            moves="rise",
            changed_at_s=TONIGHT_S,
        ),
        Title(
            id="t2",
            name="Points",
            template="scoreboard",
            layer=2,
            fields=(("left", "Corrin"), ("left points", "17"), ("right", "Tolvey"), ("right points", "16")),
            changed_at_s=BEFORE_S,
        ),
        Title(id="t3", name="Corner", template="corner", layer=3, fields=(("text", "Final"),), changed_at_s=BEFORE_S),
        Title(id="t4", name="Before the start", template="countdown", layer=2, changed_at_s=BEFORE_S),
    )


def desk_insets() -> tuple[Inset, ...]:
    """The interpreter has no camera of her own in this hall: the glazing bench stands for her."""
    return (Inset(slot=1, source=Source(camera_id="c6"), left=0.72, top=0.64, wide=0.25, corner=0.12),)


def scenes(framings: tuple[Framing, ...]) -> tuple[Scene, ...]:
    at = {(f.camera_id, f.letter): f.id for f in framings}

    def seen(camera: str, letter: str) -> Source:
        return Source(camera_id=camera, framing_id=at[(camera, letter)])

    return (
        Scene(
            id="s1",
            number=1,
            name="Ines and her wheel",
            base=seen("c1", "W"),
            insets=(Inset(slot=2, source=seen("c4", "W"), left=0.7, top=0.06, wide=0.27, corner=0.06),),
            title_ids=("t1", None, None),
            picture="s1.jpg",
        ),
        Scene(
            id="s2",
            number=2,
            name="Jury and two wheels",
            base=seen("c1", "R"),
            insets=(
                Inset(slot=2, source=seen("c2", "W"), left=0.03, top=0.05, wide=0.28),
                Inset(slot=3, source=seen("c3", "W"), left=0.69, top=0.05, wide=0.28),
            ),
            picture="s2.jpg",
        ),
        Scene(
            id="s3",
            number=3,
            name="The rounds",
            base=Source(medium_id="b1"),
            insets=(Inset(slot=4, source=seen("c2", "A"), left=0.68, top=0.55, wide=0.29, corner=0.1),),
            picture="s3.jpg",
        ),
    )
