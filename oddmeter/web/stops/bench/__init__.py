"""The Bench: one clip, frame by frame."""

from oddmeter.web.stops.bench import bench, curve

ROUTERS = (bench.router, curve.router)
