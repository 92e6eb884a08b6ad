"""`python -m scrub` is the command line."""

from scrub.cli import main

main()
