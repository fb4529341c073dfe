"""Measurements. Each is `python -m bench NAME --json` and prints one JSON object; none is a test."""
