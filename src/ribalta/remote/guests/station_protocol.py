"""What a station's line and the door have to agree on."""

STATION = "Ribalta station"  # how one names itself; a page of a browser cannot
HEARTBEAT_S = 3.0
LARGEST_SAID, LARGEST_ACK = 4 << 20, 4096
