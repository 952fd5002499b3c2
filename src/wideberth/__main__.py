"""`python -m wideberth`: the command line."""

from wideberth.cli.main import main

main()
