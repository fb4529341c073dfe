"""Guests by browser: one page, what it is told, what it may ask, and live pictures with little delay."""
