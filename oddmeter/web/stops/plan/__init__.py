"""Plan: the ledger, changes to many clips, recipes, and the arithmetic."""

from oddmeter.web.stops.plan import arithmetic, changes, ledger, recipes, reckoner

ROUTERS = (ledger.router, changes.router, recipes.router, arithmetic.router, reckoner.router)
