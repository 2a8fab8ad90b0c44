"""What the application refuses: other hosts, other sites, and ways out of the roots."""

from pathlib import Path

import psycopg
import pytest

from oddmeter.web.http.guard import MOST_BYTES
from tests.web.conftest import Browser


@pytest.mark.parametrize("host", ["evil.example", "127.0.0.1.evil.example", "", "10.0.0.1:8470"])
def test_only_our_own_name_is_answered(browser: Browser, host: str) -> None:
    assert browser.client.get("/api/shows", headers={"Host": host}).status_code == 400


@pytest.mark.parametrize("host", ["localhost:8470", "127.0.0.1", "[::1]:8470"])
def test_local_names_are_answered(browser: Browser, host: str) -> None:
    assert browser.client.get("/api/shows", headers={"Host": host}).status_code == 200


@pytest.mark.parametrize("origin", ["http://evil.example", "null", "http://127.0.0.1:1"])
def test_another_sites_page_is_refused(browser: Browser, origin: str) -> None:
    got = browser.client.post("/api/shows", json={}, headers={"Origin": origin})
    assert got.status_code == 403 and got.json()["code"] == "origin"


def test_names_compare_without_case_and_origins_by_scheme_host_and_port(browser: Browser) -> None:
    assert browser.client.get("/api/shows", headers={"Host": "LocalHost:8470"}).status_code == 200
    same = {"Host": "127.0.0.1:8470", "Origin": "HTTP://127.0.0.1:8470"}
    assert browser.client.get("/api/shows", headers=same).status_code == 200
    assert (
        browser.client.get("/api/shows", headers={"Host": "LOCALHOST", "Origin": "http://localhost:80"}).status_code
        == 200
    )
    for origin in ("https://127.0.0.1:8470", "http://127.0.0.1", "http://[", "http://127.0.0.1:99999999", "//"):
        got = browser.client.get("/api/shows", headers={"Host": "127.0.0.1:8470", "Origin": origin})
        assert got.status_code == 403, origin


def test_every_answer_says_what_a_browser_may_do_with_it(browser: Browser) -> None:
    for path in ("/", "/api/shows", "/api/nothing", "/made/nothing", "/assets/nothing"):
        headers = browser.client.get(path).headers
        assert "script-src 'self'" in headers["content-security-policy"], path
        assert "frame-ancestors 'none'" in headers["content-security-policy"], path
        assert headers["x-content-type-options"] == "nosniff" and headers["referrer-policy"] == "no-referrer"
        assert "camera=()" in headers["permissions-policy"]
    refused = browser.client.get("/api/shows", headers={"Host": "evil.example"})
    assert "default-src 'none'" in refused.headers["content-security-policy"]


def test_source_files_are_not_served_and_made_ones_only_to_take_away(browser: Browser, tmp_path: Path) -> None:
    uploads, made = browser.config.roots["Uploads"], browser.config.made
    (uploads / "page.html").write_text("<script>alert(1)</script>")
    assert "alert" not in browser.client.get("/media/Uploads/page.html").text
    (made / ".hidden").mkdir(parents=True)
    (made / ".hidden" / "clip.mov").write_text("not for you")
    (made / "clip.svg").write_text("<svg onload='alert(1)'/>")
    (made / "out.mov").symlink_to(tmp_path / "secret.mov")
    (tmp_path / "secret.mov").write_text("not for you")
    got = browser.client.get("/made/clip.svg")
    assert (
        got.headers["content-disposition"].startswith("attachment")
        and got.headers["x-content-type-options"] == "nosniff"
    )
    for path in (".hidden/clip.mov", "out.mov", "%2e%2e/start.lock", "..%2F..%2Fsecret.txt", "%00", "a" * 300):
        got = browser.client.get(f"/made/{path}")
        assert got.status_code in (403, 404) and "not for you" not in got.text, path


def test_a_link_in_a_circle_is_left_out_and_named(browser: Browser) -> None:
    root = browser.config.roots["Uploads"]
    (root / "Card").mkdir()
    (root / "round").symlink_to(root / "trip")
    (root / "trip").symlink_to(root / "round")
    (root / "gone.mov").symlink_to(root / "nowhere.mov")
    listing = browser.get("/api/roots/Uploads/folder")
    assert [folder["name"] for folder in listing["folders"]] == ["Card"]
    assert listing["left_out"] == ["gone.mov", "round", "trip"]
    assert browser.refused("GET", "/api/roots/Uploads/folder?path=round")[0] in (403, 404)


def test_files_for_a_show_that_is_not_there_are_not_kept(browser: Browser) -> None:
    sent = {"files": ("clip.mov", b"nothing", "video/quicktime")}
    got = browser.client.post("/api/shows/77/uploads", data={"name": "Card"}, files=sent)
    assert got.status_code == 404
    assert list(browser.config.roots["Uploads"].iterdir()) == []


def test_browsing_shows_no_way_out(browser: Browser, tmp_path: Path) -> None:
    root = browser.config.roots["Uploads"]
    (root / "Card").mkdir()
    (root / "out").symlink_to("/etc")
    listing = browser.get("/api/roots/Uploads/folder")
    assert [folder["name"] for folder in listing["folders"]] == ["Card"]
    assert browser.refused("GET", "/api/roots/Uploads/folder?path=out")[0] == 403
    assert browser.refused("GET", "/api/roots/Uploads/folder?path=../..")[0] == 403
    assert browser.refused("GET", "/api/roots/Uploads/folder?path=absent") == (
        404,
        "The folder “absent” no longer exists.",
    )


def test_errors_are_problem_details(browser: Browser) -> None:
    assert browser.refused("GET", "/api/nothing") == (404, "There is nothing at this address.")
    assert browser.refused("GET", "/api/shows/77") == (404, "This show no longer exists.")
    status, sentence = browser.refused("POST", "/api/shows", {"name": "", "timeline": {"name": "M", "rate": "25"}})
    assert status == 422 and sentence.startswith("name:")
    status, sentence = browser.refused("POST", "/api/shows", {"name": "S", "timeline": {"name": "M", "rate": "fast"}})
    assert status == 422 and "is not a rate" in sentence


@pytest.mark.parametrize("told", [True, False])
def test_what_is_too_large_is_not_read_into_memory(browser: Browser, told: bool) -> None:
    """Also where nothing says beforehand how long it is. Files that are dropped go to disk, whatever their size."""
    pieces = (b'{"name": "' + b"a" * (1 << 20) for _ in range((MOST_BYTES >> 20) + 1))
    content = b"".join(pieces) if told else pieces
    got = browser.client.post("/api/shows", content=content, headers={"Content-Type": "application/json"})
    assert (got.status_code, got.json()["code"]) in ((413, "size"), (413, "http")), got.text
    assert "more than 48 MB; it was not read" in got.json()["detail"]


def test_whoever_holds_a_show_for_long_makes_nobody_wait_for_ever(
    request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An open transaction in psql: writers are told, and readers go on."""
    monkeypatch.setattr("oddmeter.store.database._LIMITS", "-c lock_timeout=200ms")
    browser: Browser = request.getfixturevalue("browser")
    show = browser.show()
    with psycopg.connect(browser.config.database) as held:
        held.execute("SELECT 1 FROM show FOR UPDATE")
        status, told = browser.refused("PATCH", f"/api/shows/{show}", {"name": "Ebb"})
        assert status == 503 and told.startswith("Somebody else holds what this would change.")
        assert browser.get(f"/api/shows/{show}")["name"] == "Tide"
    browser.send("PATCH", f"/api/shows/{show}", {"name": "Ebb"})
