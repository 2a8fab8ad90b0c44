"""What the application refuses: other hosts, other sites, and ways out of the roots."""

from pathlib import Path

import pytest

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


def test_media_is_served_from_the_roots_only(browser: Browser, tmp_path: Path) -> None:
    secret = tmp_path / "secret.txt"
    secret.write_text("not for you")
    uploads = browser.config.roots["Uploads"]
    (uploads / "link.txt").symlink_to(secret)
    (uploads / "way out").symlink_to(tmp_path)
    (uploads / "inside.txt").write_text("for you")
    (uploads / "alias.txt").symlink_to(uploads / "inside.txt")
    assert browser.get("/media/Uploads/inside.txt") == "for you"
    assert browser.get("/media/Uploads/alias.txt") == "for you"
    for path in ("link.txt", "way out/secret.txt", "%2e%2e/%2e%2e/secret.txt", "..%2F..%2Fsecret.txt"):
        got = browser.client.get(f"/media/Uploads/{path}")
        assert got.status_code in (403, 404) and "not for you" not in got.text, path
    assert browser.refused("GET", "/media/Nowhere/inside.txt") == (403, "There is no media root “Nowhere” here.")
    assert browser.client.get("/made/%2e%2e/start.lock").status_code in (403, 404)


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
        "The folder “absent” is not there, or no longer.",
    )


def test_errors_are_problem_details(browser: Browser) -> None:
    assert browser.refused("GET", "/api/nothing") == (404, "There is nothing at this address.")
    assert browser.refused("GET", "/api/shows/77") == (404, "This show is not there, or no longer.")
    status, sentence = browser.refused("POST", "/api/shows", {"name": "", "timeline": {"name": "M", "rate": "25"}})
    assert status == 422 and sentence.startswith("name:")
    status, sentence = browser.refused("POST", "/api/shows", {"name": "S", "timeline": {"name": "M", "rate": "fast"}})
    assert status == 422 and "is not a rate" in sentence
