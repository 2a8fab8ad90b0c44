"""Orders: whatever was decided comes out of the database as it went in, also what was ordered long ago."""

from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.rounding import Precision
from oddmeter.core.conform.speeds import conform
from oddmeter.core.cutting.events import FIRST_PICTURE, Event
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.cutting.windows import window
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.levels import HOUSE, Decisions, Layer, Level, resolve
from oddmeter.core.decisions.music import NO_MUSIC, Music
from oddmeter.core.decisions.parts import Held, IntentSetting, Reading
from oddmeter.core.decisions.recipes import Recipe
from oddmeter.core.decisions.treatment import (
    Between,
    Effort,
    Fields,
    Framing,
    Intent,
    SoundChoice,
    SoundStreams,
    Span,
    Treatment,
)
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.clips import Clip, Decided, Use, known_of
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.plans import Plan, resolved
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from oddmeter.work.orders import Order, order_of, order_of_event

RATES = st.sampled_from([Rate.parse(text) for text in ("23.976", "24", "25", "29.97", "50", "119.88", "150")])
TREATMENTS = st.builds(
    Treatment,
    intent=st.sampled_from([Intent.PACE, Intent.SPEED]),
    value=st.fractions(min_value=Fraction(1, 20), max_value=20, max_denominator=60),
    read_rate=st.none() | RATES,
    fields=st.sampled_from(Fields),
    between=st.sampled_from(Between),
    effort=st.sampled_from(Effort),
    reach=st.integers(1, 4096),
    trust=st.fractions(min_value=0, max_value=1, max_denominator=100),
    held=st.sampled_from([Fraction(1), Fraction(2), Fraction(25, 12)]),
    sound=st.sampled_from(SoundChoice),
    music=st.sampled_from([NO_MUSIC, Music("Footage", "A b/c: d.wav", -3, 0)]),
    streams=st.sampled_from([SoundStreams(), SoundStreams((2,)), SoundStreams((1, 3))]),
    reverse=st.booleans(),
    framing=st.sampled_from(Framing),
    span=st.sampled_from([Span(), Span(0, 0), Span(0)]),
)
CLIP = known_of(Clip(1, 3, "Footage", "a.mov", "a.mov", Facts(), None, (), (), Decided(), 1, 1, None, 0))
HELD = resolve(())
FILM = Timeline(7, TimelineSettings("The film", Rate.of(25)), 1)


@given(TREATMENTS, RATES, st.none() | RATES, st.integers(1, 100_000))
def test_an_order_is_the_plan_it_was_made_of(treatment: Treatment, file: Rate, shot: Rate | None, frames: int) -> None:
    planned = conform(Material(frames, file, shot), treatment, FILM.settings.rate)
    kept = order_of(Plan(CLIP, HELD, FILM, planned)).model_dump_json()
    assert Order.model_validate_json(kept).conformed() == planned


def test_an_order_from_before_there_were_held_rates_is_still_made() -> None:
    old = {
        "timeline_name": "The film", "timeline_rate": "25/1", "drop_frame": False, "frames": 100, "file_rate": "50/1",
        "shot_rate": None, "intent": "every-frame", "value": None, "read_rate": None, "sound": "follow",
    }  # fmt: skip
    planned = Order.model_validate(old).conformed()
    assert planned == conform(Material(100, Rate.of(50)), Treatment(Intent.EVERY_FRAME), Rate.of(25))


def test_an_order_from_before_parts_were_walked_is_the_same_order() -> None:
    """Each part had a field of its own."""
    curve = Curve.parse({"points": [{"frame": 0, "arrives": "1/2"}]})
    old = {
        "timeline_rate": "25/1", "drop_frame": False, "frames": 100, "file_rate": "50/1", "shot_rate": "100/1",
        "intent": "curve", "value": None, "curve": curve.document(), "read_rate": "24000/1001", "sound": "off",
        "streams": "1, 3", "music": "none", "held": "25/12", "reverse": True, "fields": "split", "between": "flow",
        "shutter": "1/3", "effort": "careful", "reach": 64, "trust": "1/4", "framing": "fill", "span": "12-40",
    }  # fmt: skip
    assert Order.model_validate(old).treatment == Treatment(
        Intent.CURVE, None, Rate.parse("23.976"), Fields.SPLIT, Between.FLOW, Fraction(1, 3), Effort.CAREFUL, 64,
        Fraction(1, 4), Fraction(25, 12), SoundChoice.OFF, SoundStreams((1, 3)), NO_MUSIC, True, Framing.FILL,
        Span(12, 40), curve,
    )  # fmt: skip


def house(default: Decisions, delivery: Decisions, recipe: Decisions) -> House:
    return House(
        Layer(Level.SHOW, "Tide", default), {3: Layer(Level.DELIVERY, "Card", delivery)},
        (Recipe(5, "Fast", recipe, None),), {5: 1}, Precision.EXACT, {},
    )  # fmt: skip


def test_what_holds_comes_from_the_nearest_level_that_a_clip_has() -> None:
    pace, twos, off = (Decisions.parse(t) for t in ({"intent": "pace 1/2"}, {"held": "2 frames"}, {"sound": "off"}))
    whole = house(pace, twos, off)
    own = Decided(Decisions.parse({"reading": "24/1"}), 5, (Use(7, Decisions.parse({"fields": "split"})),))
    found = resolved(3, own, whole, FILM)
    assert found.decisions == Decisions(
        intent=IntentSetting(Intent.PACE, Fraction(1, 2)), reading=Reading(Rate.of(24)), fields=Fields.SPLIT,
        between=Between.PICK, shutter=Fraction(1, 2), effort=Effort.NORMAL, reach=48, trust=Fraction(1, 10),
        held=Held(2), sound=SoundChoice.OFF, streams=SoundStreams(), music=NO_MUSIC, reverse=False,
        framing=Framing.KEEP, span=Span(),
    )  # fmt: skip
    other = resolved(4, Decided(), whole, Timeline(8, FILM.settings, 1))
    assert other.decisions == pace.over(HOUSE.decisions), "another delivery, no recipe, another timeline"


def test_an_order_of_a_part_of_a_curve_shows_what_the_event_does() -> None:
    """It keeps where in the curve the event begins."""
    curve = Curve.parse({"points": [{"frame": 0, "arrives": "1/2"}, {"frame": 60, "arrives": "3"}]})
    settings, material = TimelineSettings("The film", Rate.of(25)), Material(400, Rate.of(25))
    part = Event(1, FIRST_PICTURE, SourceKind.CLIP, 0, 20, curve_offset=Fraction(3, 2), clip_id=1)
    use = window(part, material, Treatment(Intent.CURVE, curve=curve), settings.rate)
    ordered = Order.model_validate_json(order_of_event(use, settings, 0, 1).model_dump_json())
    assert list(ordered.conformed().frame_map.picks()) == list(use.frame_map.picks())
    assert use.frame_map.pick(0) > 0, "it begins within the curve"
