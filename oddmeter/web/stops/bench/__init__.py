"""The Bench: one clip, frame by frame."""

from oddmeter.web.stops.bench import bench, curve, sound

ROUTERS = (bench.router, curve.router, sound.router)
