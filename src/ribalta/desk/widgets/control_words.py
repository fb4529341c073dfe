"""What a control is called by people."""


def control_words(control: str) -> str:
    """“F9”, “MIDI note 60, channel 1”: of “key F9”, “midi note 1 60”."""
    device, _, name = control.partition(" ")
    parts = name.split(" ")
    if device == "midi" and len(parts) == 3:
        return f"MIDI {parts[0]} {parts[2]}, channel {parts[1]}"
    if device == "gamepad":
        return f"gamepad {name.upper() if len(name) == 1 else name}"
    return name if device == "key" else f"{device.upper()} {name}"
