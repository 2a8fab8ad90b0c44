"""Intake: deliveries, the evidence about each clip, what there is to look at, reports and film."""

from oddmeter.web.stops.intake import deliveries, evidence, film, pictures, reports

ROUTERS = (deliveries.router, evidence.router, pictures.router, reports.router, film.router)
