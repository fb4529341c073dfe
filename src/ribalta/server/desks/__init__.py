"""Desks that attach to a running show from processes of their own."""
