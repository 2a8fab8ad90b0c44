"""What a setting cannot hold of a plan, said when it is chosen: nothing fails for it later."""

from collections.abc import Iterator

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.media.plans import FilePlan, first_number
from oddmeter.media.settings.setting import Place

_LACKS = {
    ("mxf", "vc3"): ("fields", "pixel shape"),
    ("mxf", "rdd36"): ("fields",),
    ("mxf", "jpeg2000"): ("fields",),
    ("mxf", "hevc"): ("pixel shape",),
}
"""What a container that the library writes does not say with a codec, by what its own reader finds there again."""


def insist_on_holding(plan: FilePlan) -> None:
    """Raise ``RuleError`` with the first thing that a plan's setting cannot hold."""
    for code, sentence in troubles(plan):
        raise RuleError(sentence, code)


def troubles(plan: FilePlan) -> Iterator[tuple[str, str]]:
    """What a plan's setting cannot hold: for each a code and a sentence."""
    encoding, canvas = plan.encoding, plan.canvas
    label = encoding.label
    try:
        encoding.pixel_format_for("", canvas.width, canvas.height)
    except RuleError as error:
        yield error.code, str(error)
    if plan.field_order is not None and not encoding.codec.fields:
        first = "upper" if plan.field_order is FieldOrder.UPPER else "lower"
        way = "Choose another codec, or whole pictures in the setting."
        if canvas.scan.first is None:
            way = "Its fields are left together: take them apart in Plan, or choose another codec."
        yield (
            "fields",
            f"{label} holds whole pictures only, and the file would have fields, {first} first. {way}",
        )
    lacks = _LACKS.get((encoding.into.name, encoding.codec.name), ())
    if plan.field_order is not None and "fields" in lacks:
        yield "fields", f"{encoding.into.label} does not say which field comes first with {encoding.codec.label}."
    if canvas.pixel_aspect != 1 and "pixel shape" in lacks:
        yield "pixels", f"{encoding.into.label} holds square pixels only with {encoding.codec.label}."
    if not encoding.into.holds_rate(plan.rate):
        held = ", ".join(rate.spoken for rate in encoding.into.rates)
        yield "rate", f"{encoding.into.label} is written at {held} only; this file runs at {plan.rate.spoken}."
    if plan.setting.is_numbered and plan.setting.sound.place is Place.FILE and plan.sounds:
        yield "sound", "Numbered pictures hold no sound. Put it beside them, or leave it out."
    last = first_number(plan) + plan.length - 1
    if plan.setting.is_numbered and len(str(last)) > plan.setting.numbers.padding:
        yield "numbers", f"{last} has more than {plan.setting.numbers.padding} digits."
    channels, most = plan.most_channels, encoding.sound.most_channels
    if channels > most:
        yield "sound", f"{encoding.sound.label} holds up to {most} sound channels; here are {channels}."
