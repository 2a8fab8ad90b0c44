"""The mini meter strip as SVG, for pages that are printed; the page in the browser draws its own."""

from oddmeter.core.batches import Strip

WIDTH, HEIGHT, RAIL, DOT = 96, 18, 3.5, 1.5


def strip_svg(strip: Strip) -> str:
    """Beats above, source frames below, a thread from each beat to what it shows; hollow: dropped."""
    a_beat = float(strip.source_a_beat)
    places = {s: s / a_beat - strip.first for s in range(strip.source_first, strip.source_stop)}
    last = max(len(strip.picks) - 1, places[strip.source_stop - 1], 1)
    lowest = min(0.0, places[strip.source_first])
    scale = (WIDTH - 2 * (DOT + 1)) / (last - lowest)

    def x(place: float) -> str:
        return f"{DOT + 1 + (place - lowest) * scale:.1f}"

    top, bottom = RAIL, HEIGHT - RAIL
    ink, soft = "#1d1b17", "#8a8374"
    threads = "".join(
        f'<line x1="{x(i)}" y1="{top}" x2="{x(places[pick])}" y2="{bottom}" stroke="{ink}" stroke-width=".9"/>'
        f'<line x1="{x(i)}" y1="{top - 2}" x2="{x(i)}" y2="{top}" stroke="{ink}" stroke-width="1.2"/>'
        for i, pick in enumerate(strip.picks)
    )
    shown = set(strip.picks)
    dots = "".join(
        f'<circle cx="{x(place)}" cy="{bottom}" r="{DOT}" fill="{ink if s in shown else "#fff"}" '
        f'stroke="{ink if s in shown else soft}" stroke-width=".7"/>'
        for s, place in places.items()
    )
    hiccups = "".join(
        f'<path d="M{float(x(h - strip.first)) - 3:.1f} 0h6l-3 4z" fill="#8a5a00"/>' for h in strip.hiccups
    )
    return (
        f'<svg width="{WIDTH}" height="{HEIGHT}" role="img">'
        f'<path d="M0 {top}H{WIDTH}M0 {bottom}H{WIDTH}" stroke="#c9c2b4"/>{threads}{dots}{hiccups}</svg>'
    )
