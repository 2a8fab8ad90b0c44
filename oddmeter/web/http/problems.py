"""Errors as problem details (RFC 9457): a sentence for the person, a code for the machine."""

import logging

import psycopg
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from psycopg_pool import PoolTimeout
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from oddmeter.core.numbers.errors import RuleError

log = logging.getLogger("oddmeter.web")

_STATUS = {"conflict": 409, "exists": 409, "missing": 404, "root": 403, "busy": 503}


class Problem(BaseModel):
    """What went wrong. ``detail`` can be shown as it stands; ``code`` is stable."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    code: str


def problem(status: int, code: str, detail: str) -> JSONResponse:
    """A problem details response."""
    title = {
        400: "Wrong request",
        403: "Not allowed",
        404: "Not there",
        409: "Conflict",
        413: "Too large",
        422: "Cannot be done",
    }
    plain = detail.encode(errors="replace").decode()
    body = Problem(title=title.get(status, "Something failed"), status=status, detail=plain, code=code)
    return JSONResponse(body.model_dump(), status, media_type="application/problem+json")


def install(app: FastAPI) -> None:
    """Turn every error of the application into problem details."""

    @app.exception_handler(RuleError)
    def of_rule(_: Request, error: RuleError) -> JSONResponse:
        return problem(_STATUS.get(error.code, 422), error.code, str(error))

    @app.exception_handler(RequestValidationError)
    def of_request(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"] if part != "body")
        return problem(422, "request", f"{place}: {first['msg']}." if place else f"{first['msg']}.")

    @app.exception_handler(HTTPException)
    def of_http(_: Request, error: HTTPException) -> JSONResponse:
        return problem(error.status_code, "http", str(error.detail))

    @app.exception_handler(psycopg.errors.UniqueViolation)
    def of_twin(_: Request, __: psycopg.errors.UniqueViolation) -> JSONResponse:
        return problem(409, "exists", "There is one of that name already.")

    @app.exception_handler(psycopg.errors.CheckViolation)
    def of_check(_: Request, __: psycopg.errors.CheckViolation) -> JSONResponse:
        return problem(422, "check", "The database does not accept this value.")

    @app.exception_handler(psycopg.DataError)
    def of_data(_: Request, __: psycopg.DataError) -> JSONResponse:
        return problem(422, "value", "A value is too large, or holds characters that cannot be kept.")

    @app.exception_handler(psycopg.errors.LockNotAvailable)
    def of_lock(_: Request, error: psycopg.errors.LockNotAvailable) -> JSONResponse:
        log.warning("somebody holds what a request needs: %s", error)
        return problem(503, "busy", "Somebody else holds what this would change. Nothing was changed; try again.")

    @app.exception_handler(psycopg.errors.QueryCanceled)
    def of_time(_: Request, error: psycopg.errors.QueryCanceled) -> JSONResponse:
        log.warning("a statement took too long: %s", error)
        return problem(503, "time", "The database took too long over this. Nothing was changed; try again.")

    @app.exception_handler(UnicodeEncodeError)
    def of_text(_: Request, __: UnicodeEncodeError) -> JSONResponse:
        return problem(422, "value", "A text holds half a character (a lone surrogate), which cannot be kept.")

    def of_database(_: Request, error: Exception) -> JSONResponse:
        log.warning("the database does not answer: %s", error)
        return problem(503, "database", "The database does not answer just now. Nothing was changed; try again.")

    for kind in (psycopg.OperationalError, psycopg.InterfaceError, PoolTimeout):
        app.add_exception_handler(kind, of_database)
