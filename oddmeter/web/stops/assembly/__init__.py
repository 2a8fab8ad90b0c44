"""Assembly: timelines with their events, what moves when something changes, and lists in and out."""

from oddmeter.web.stops.assembly import cuts, edits, lists, looks, making, nests, sheet

ROUTERS = (cuts.router, looks.router, edits.router, nests.router, lists.router, making.router, sheet.router)
