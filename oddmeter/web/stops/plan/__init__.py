"""Plan: the ledger, changes to many clips, recipes, and the arithmetic."""

from oddmeter.web.stops.plan import changes, ledger, recipes, reckoner, reckoning

ROUTERS = (ledger.router, changes.router, recipes.router, reckoning.router, reckoner.router)
