"""How desks and the server of a running show meet: where, what they say, and the same show seen from the desk's end."""
