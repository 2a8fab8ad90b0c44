"""Handoff: files made and proven, and the conform sheet."""

from oddmeter.web.stops.handoff import renders, sheet

ROUTERS = (renders.router, sheet.router)
