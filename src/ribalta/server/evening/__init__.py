"""Before doors and afterwards: what a check measures, and ending an evening."""
