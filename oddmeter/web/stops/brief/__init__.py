"""Brief: the show with its timelines, its house rules, and the words that all stops share."""

from oddmeter.web.stops.brief import house, shows, vocabulary

ROUTERS = (shows.router, house.router, vocabulary.router)
