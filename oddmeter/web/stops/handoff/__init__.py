"""Handoff: files made and proven, packages closed of them, and the conform sheet."""

from oddmeter.web.stops.handoff import errands, hooks, packages, plans, queue, renders, sheet

ROUTERS = (renders.router, plans.router, hooks.router, errands.router, queue.router, packages.router, sheet.router)
