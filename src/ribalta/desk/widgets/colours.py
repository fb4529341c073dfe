"""The colours that macros and pads can have: none is red or green, which mean tally."""

COLOURS = {
    "#b9ab98": "sand",
    "#e0c068": "gold",
    "#8fb8de": "sky",
    "#6f8fd0": "blue",
    "#b9a4e0": "lilac",
    "#c98fc0": "mallow",
    "#9aa7b5": "slate",
    "#f1e8da": "white",
}
