"""Decisions of a level for the page, and as the page gives them back."""

from pydantic import BaseModel

from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.decisions.vocabulary import part_text
from oddmeter.core.numbers.numerals import number_text


class DecidedView(BaseModel):
    """A decided part: exact text and words; of what is wanted, the intent and its value apart, as they are typed."""

    part: Part
    text: str
    words: str
    intent: Intent | None = None
    value: str | None = None


def decided_view(decided: Decisions) -> list[DecidedView]:
    """What a level decides, for the page."""
    texts, wish = decided.texts(), decided.intent
    out = [
        DecidedView(part=part, text=texts[part.value], words=part_text(part, value)) for part, value in decided.items()
    ]
    for item in out:
        if item.part is Part.INTENT and wish is not None:
            item.intent = wish.intent
            item.value = None if wish.value is None else number_text(wish.value)
    return out
