"""Handoff: files made and proven, packages closed of them, and the conform sheet."""

from oddmeter.web.stops.handoff import packages, queue, renders, sheet

ROUTERS = (renders.router, queue.router, packages.router, sheet.router)
