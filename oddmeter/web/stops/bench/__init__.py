"""The Bench: one clip, frame by frame."""

from oddmeter.web.stops.bench import bench

ROUTERS = (bench.router,)
