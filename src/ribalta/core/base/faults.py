"""Whose fault it is. Every message is a sentence for the person at the desk: name, what happened, what to do."""


class RibaltaFault(Exception):
    """Base of the three; never raised itself."""


class ActionRefused(RibaltaFault):
    """The operator asked for what cannot be. Nothing has changed."""


class LocalFault(RibaltaFault):
    """This machine or its files: a damaged show, a full disk, a port in use."""


class RemoteFault(RibaltaFault):
    """A device said no, lied or vanished."""
