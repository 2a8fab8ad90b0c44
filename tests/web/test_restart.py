"""The database is restarted under the application: it says so while it is away, and goes on by itself."""

import time

from oddmeter.local.cluster import Cluster
from tests.web.conftest import Browser


def test_the_application_outlives_a_restart_of_the_database(browser: Browser, cluster: Cluster) -> None:
    show = browser.show()
    port = int((cluster.home / "postgres.port").read_text())
    cluster.stop()
    status, sentence = browser.refused("GET", f"/api/shows/{show}")
    assert status == 503 and "does not answer just now" in sentence
    cluster.start(port)
    end = time.monotonic() + 20
    while browser.client.get(f"/api/shows/{show}").status_code != 200:
        assert time.monotonic() < end
        time.sleep(0.2)
    assert browser.send("PATCH", f"/api/shows/{show}", {"name": "Still here"})["name"] == "Still here"
