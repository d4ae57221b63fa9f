"""`python -m lazzik`."""

from lazzik.cli import main

main()
