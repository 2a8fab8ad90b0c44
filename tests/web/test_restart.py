"""The database is restarted under the application: it says so while it is away, and goes on by itself."""

from oddmeter.local.cluster import Cluster
from tests.waiting import wait_until
from tests.web.conftest import Browser


def test_the_application_outlives_a_restart_of_the_database(browser: Browser, cluster: Cluster) -> None:
    show = browser.show()
    port = int((cluster.home / "postgres.port").read_text())
    cluster.stop()
    status, sentence = browser.refused("GET", f"/api/shows/{show}")
    assert status == 503 and "does not answer just now" in sentence
    cluster.start(port)
    wait_until(lambda: browser.client.get(f"/api/shows/{show}").status_code == 200)
    assert browser.send("PATCH", f"/api/shows/{show}", {"name": "Still here"})["name"] == "Still here"
