"""Brief: the show with its timelines, its house rules, its settings for made files, and the words that all stops
share."""

from oddmeter.web.stops.brief import house, settings, shows, vocabulary

ROUTERS = (shows.router, house.router, settings.router, vocabulary.router)
