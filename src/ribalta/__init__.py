"""Ribalta: a desk for a live director, where every cut lands on a prepared framing."""

__version__ = "0.1.0"
