"""The stops of the work: for each a room with its routers and their models."""

from oddmeter.web.stops import assembly, bench, brief, handoff, intake, plan

ROUTERS = (*brief.ROUTERS, *intake.ROUTERS, *plan.ROUTERS, *bench.ROUTERS, *assembly.ROUTERS, *handoff.ROUTERS)
"""Every router, in the order of the work."""
