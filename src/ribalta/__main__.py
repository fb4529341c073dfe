"""`python -m ribalta`, and the `ribalta` command."""

import sys

from ribalta.app.cli import main

if __name__ == "__main__":
    sys.exit(main())
