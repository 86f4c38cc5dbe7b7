"""`python -m glyphos` is `glyphos`."""

from .cli.main import main

main()
