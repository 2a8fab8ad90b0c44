"""Decisions at every level: how they are typed, which holds, and where it comes from."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.decisions.levels import Decisions, Layer, Level, resolve
from oddmeter.core.decisions.parts import Held, IntentSetting, Part, Reading, parse_intent, parse_part
from oddmeter.core.decisions.treatment import AS_IT_STANDS, Between, Fields, Framing, Intent, SoundChoice, Span
from oddmeter.core.decisions.vocabulary import part_text
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate

FILE, SHOT, TIMELINE = Rate.of(25), Rate.of(150), Rate.parse("23.976")
RATIOS = st.fractions(min_value=Fraction(1, 50), max_value=50, max_denominator=1001)
DECISIONS = st.builds(
    Decisions,
    intent=st.none()
    | st.sampled_from([IntentSetting(Intent.REAL_TIME), IntentSetting(Intent.LEAVE)])
    | st.builds(IntentSetting, st.sampled_from([Intent.PACE, Intent.SPEED]), RATIOS),
    reading=st.none() | st.builds(Reading, st.sampled_from([Rate.of(24), Rate.parse("59.94")]), RATIOS),
    fields=st.none() | st.sampled_from(Fields),
    between=st.none() | st.sampled_from(Between),
    reach=st.none() | st.integers(1, 4096),
    trust=st.none() | st.fractions(min_value=0, max_value=1, max_denominator=100),
    shutter=st.none() | st.fractions(min_value=Fraction(1, 720), max_value=1, max_denominator=720),
    held=st.none() | st.sampled_from([Held(), Held(2), Held(rate=Rate.of(12))]),
    sound=st.none() | st.sampled_from(SoundChoice),
    reverse=st.none() | st.booleans(),
)


@given(DECISIONS)
def test_decisions_come_back_from_their_texts(decided: Decisions) -> None:
    assert Decisions.parse(decided.texts()) == decided


@given(DECISIONS, DECISIONS, DECISIONS)
def test_the_nearest_level_that_says_something_holds_and_is_named(
    show: Decisions, delivery: Decisions, clip: Decisions
) -> None:
    layers = [Layer(Level.SHOW, "S", show), Layer(Level.DELIVERY, "D", delivery), Layer(Level.CLIP, "", clip)]
    held = resolve(layers)
    for part in Part:
        said = [(layer, value) for layer in layers if (value := getattr(layer.decisions, part.value)) is not None]
        if said:
            assert getattr(held.decisions, part.value) == said[-1][1]
            assert held.origins[part] == said[-1][0]
        elif part is Part.INTENT:
            assert not held.decided and part not in held.origins
        else:
            assert held.origins[part].level is Level.HOUSE


@given(DECISIONS, DECISIONS)
def test_over_without_and_only_take_apart_what_they_put_together(near: Decisions, far: Decisions) -> None:
    both = near.over(far)
    said = [part for part, _ in near.items()]
    assert both.only(said) == near
    assert both.without(said) == far.without(said)


@pytest.mark.parametrize(
    ("typed", "rate"),
    [
        ("file", None),
        ("24", "24/1"),
        ("23.976", "24000/1001"),
        ("timeline", "24000/1001"),
        ("shot", "150/1"),
        ("file * 1000/1001", "25000/1001"),
        ("25 × 1001/1000", "1001/40"),
    ],
)
def test_read_rates_as_people_type_them(typed: str, rate: str | None) -> None:
    found = Reading.parse(typed).rate(FILE, SHOT, TIMELINE)
    assert (found.exact if found else None) == rate


@pytest.mark.parametrize(
    ("typed", "timeline", "stay"),
    [
        ("off", "24", 1), ("on twos", "24", 2), ("threes", "25", 3), ("4 frames", "25", 4), ("12", "24", 2),
        ("12", "25", Fraction(25, 12)), ("30", "25", 1), ("1 frame", "25", 1),
    ],
)  # fmt: skip
def test_held_rates_as_people_type_them(typed: str, timeline: str, stay: Fraction) -> None:
    held = Held.parse(typed)
    assert held.stay(Rate.parse(timeline)) == stay
    assert Held.parse(str(held)) == held


@pytest.mark.parametrize(
    ("part", "text"),
    [
        (Part.READING, "fast"), (Part.READING, "24 * 0"), (Part.HELD, "some frames"), (Part.TRUST, "120%"),
        (Part.REACH, "0"), (Part.REACH, "far"), (Part.BETWEEN, "blend"), (Part.REVERSE, "maybe"),
        (Part.INTENT, "pace"), (Part.INTENT, "fit 5/2"), (Part.INTENT, "real-time 2/1"),
    ],
)  # fmt: skip
def test_what_says_nothing_is_refused_with_a_sentence(part: Part, text: str) -> None:
    with pytest.raises(RuleError) as error:
        parse_part(part, text)
    assert str(error.value).endswith(".")


def test_a_fit_is_typed_as_a_length_and_left_as_it_is_ignores_other_levels() -> None:
    assert parse_intent(Intent.FIT, "8s10f", Rate.of(25), False) == IntentSetting(Intent.FIT, Fraction(210))
    show = Layer(Level.SHOW, "S", Decisions.parse({"reading": "timeline", "held": "2 frames", "reverse": "yes"}))
    clip = Layer(Level.CLIP, "", Decisions.parse({"intent": "leave"}))
    left = resolve([show, clip]).treatment(FILE, SHOT, TIMELINE)
    assert (left.intent, left.held, left.reverse) == (Intent.LEAVE, Fraction(1), False) and left.read_rate is None
    assert resolve([]).treatment(FILE, SHOT, TIMELINE) == AS_IT_STANDS


@pytest.mark.parametrize(
    ("typed", "share"),
    [("180", "1/2"), ("180°", "1/2"), ("172.8°", "12/25"), ("360 °", "1"), ("1/2", "1/2"), ("50%", "1/2"), ("1", "1"),
     ("1°", "1/360"), ("360/7°", "1/7")],
)  # fmt: skip
def test_a_shutter_is_typed_as_an_angle_or_a_share(typed: str, share: str) -> None:
    value = parse_part(Part.SHUTTER, typed)
    assert value == Fraction(share)
    assert parse_part(Part.SHUTTER, part_text(Part.SHUTTER, value)) == value, "what is shown can be sent again"


@pytest.mark.parametrize("typed", ["0", "0°", "361", "400°", "150%", "-90", "open", ""])
def test_a_shutter_is_never_shut_and_never_open_for_longer_than_a_frame(typed: str) -> None:
    with pytest.raises(RuleError):
        parse_part(Part.SHUTTER, typed)


@pytest.mark.parametrize(
    ("typed", "wanted"),
    [
        ("whole", Span()), ("whole clip", Span()), ("12-240", Span(12, 240)), ("12 – 240", Span(12, 240)),
        ("frames 12 to 240", Span(12, 240)), ("12-", Span(12)), ("-240", Span(0, 240)), ("0-0", Span(0, 0)),
    ],
)  # fmt: skip
def test_in_and_out_are_read_as_people_type_them(typed: str, wanted: Span) -> None:
    span = parse_part(Part.SPAN, typed)
    assert span == wanted and parse_part(Part.SPAN, str(span)) == wanted
    assert parse_part(Part.SPAN, part_text(Part.SPAN, span)) == wanted, "what is shown in the field can be sent again"


@pytest.mark.parametrize("typed", ["", "12", "a-b", "9-3", "-1-4", "1.5-3"])
def test_what_is_no_stretch_of_frames_is_refused(typed: str) -> None:
    with pytest.raises(RuleError):
        parse_part(Part.SPAN, typed)


def test_a_range_and_a_framing_are_decided_like_everything_else() -> None:
    far = Layer(Level.SHOW, "Tide", Decisions(framing=Framing.FILL))
    near = Layer(Level.CLIP, "", Decisions(framing=Framing.INSIDE, span=Span(3, 9)))
    held = resolve([far, near])
    treatment = held.treatment(Rate.of(25), Rate.of(25), Rate.of(25))
    assert (treatment.framing, treatment.span) == (Framing.INSIDE, Span(3, 9))
    assert held.origins[Part.FRAMING].level is held.origins[Part.SPAN].level is Level.CLIP
    assert resolve([far]).treatment(Rate.of(25), Rate.of(25), Rate.of(25)).span.within(100) == (0, 100)
