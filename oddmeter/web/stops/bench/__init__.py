"""The Bench: one clip, frame by frame."""

from oddmeter.web.stops.bench import bench, curve, music, sound

ROUTERS = (bench.router, curve.router, music.router, sound.router)
