"""The Bench: one clip, frame by frame."""

from oddmeter.web.stops.bench import bench, curve, markers, music, sound

ROUTERS = (bench.router, curve.router, markers.router, music.router, sound.router)
