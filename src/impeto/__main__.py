"""`python -m impeto` is `impeto`."""

import sys

from impeto.launch import main

if __name__ == "__main__":
    sys.exit(main())
