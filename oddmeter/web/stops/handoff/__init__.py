"""Handoff: files made and proven, and the conform sheet."""

from oddmeter.web.stops.handoff import queue, renders, sheet

ROUTERS = (renders.router, queue.router, sheet.router)
