"""What is wrong with a line to a camera, where somebody else has to know that it is just that; see `LinkTrouble`."""

REFUSED_LOGIN = "its user name or password is refused"
