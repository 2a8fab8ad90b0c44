"""The database is restarted under the application: it says so while it is away, and goes on by itself; and several web
processes share a port."""

import socket
from contextlib import closing

import pytest

from oddmeter.core.numbers.errors import RuleError
from oddmeter.local.cluster import Cluster
from oddmeter.web.serving import listening
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


def test_web_processes_share_a_port_with_each_other_and_with_nobody_else() -> None:
    with closing(listening(0, shared=True)) as first:
        first.listen()
        port = first.getsockname()[1]
        assert first.proto == socket.IPPROTO_TCP, "answers do not wait for acknowledgement"
        with closing(listening(port, shared=True)) as second:
            assert second.getsockname() == first.getsockname()
        with pytest.raises(RuleError, match=f"Port {port} is in use"):
            listening(port, shared=False)
