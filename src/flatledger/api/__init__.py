"""What callers use: a module for each verb. The files that a layout names are opened here."""

from ..language import notations
from ..language.parser import keep_grammars_in
from ..sources.catalogues.notation import NOTATION
from .parsed_before import KeptGrammars


def _notation_of_another(format: str) -> notations.Notation | None:
    """The notation that another package brings with a format."""
    from ..sources.formats import notation_of_another

    return notation_of_another(format)


keep_grammars_in(KeptGrammars())
notations.add(NOTATION)
notations.find_further_by(_notation_of_another)
