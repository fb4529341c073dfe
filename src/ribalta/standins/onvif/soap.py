"""What the stand-ins' services need of SOAP: parts of a request by their local names, and faults."""

from xml.etree import ElementTree


class SoapFault(Exception):
    """A SOAP fault: code, subcode and reason."""


def local_name(element: ElementTree.Element) -> str:
    """Without its namespace."""
    return element.tag.rpartition("}")[2]


def find(element: ElementTree.Element, name: str) -> ElementTree.Element | None:
    """The first part of that local name, at any depth."""
    return next((x for x in element.iter() if local_name(x) == name), None)


def text_in(element: ElementTree.Element, name: str) -> str:
    """The text of the first part of that local name; empty when there is none."""
    found = find(element, name)
    return (found.text or "").strip() if found is not None else ""
