"""Ribalta: a desk for a live director, where every cut lands on a prepared framing."""

import os

# Before numpy is loaded: threads of its own for a small matrix would take the cores from program, mostly to wait there.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
