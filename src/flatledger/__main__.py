"""``python -m flatledger``."""

from .cli import main

main(prog_name="flatledger")
