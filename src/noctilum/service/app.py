"""The application factory."""

from __future__ import annotations

import time
import uuid
from functools import cache
from threading import Lock

import orjson
import structlog
from apiflask import APIFlask
from flask import Response, g, render_template, request
from flask_compress import Compress

from noctilum.actions.install import Install
from noctilum.core.errors import Nonsense, worded
from noctilum.service import (
    reading_routes,
    resource_routes,
    routes_alerts,
    routes_imports,
    routes_monthly,
    routes_noted,
    routes_operating,
    routes_people,
    routes_public,
    routes_ranks,
    routes_readings,
    routes_reports,
    routes_setup,
    routes_shares,
    routes_work,
)
from noctilum.service.access import allow, install_access
from noctilum.service.asking import Asking, Json, check_texts
from noctilum.service.front import install_console
from noctilum.service.hosts import check_host
from noctilum.service.openapi import refine
from noctilum.service.problems import install_problems
from noctilum.wire.catalogue import READINGS
from noctilum.wire.plain_text import cleaned
from noctilum.wire.resources import RESOURCES

POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
MOST_BODY = 1 << 20
API_VERSION = "1"
"""Of the interface; which version of the program serves it is told to who is signed in."""

log = structlog.get_logger("noctilum.service")


def create_app(install: Install) -> APIFlask:
    """Make the application that serves an install: API under /api/v1, the console elsewhere."""
    app = APIFlask(__name__, title="Noctilum", version=API_VERSION, docs_path=None, spec_path=None, json_errors=False)
    app.extensions["install"] = install
    app.request_class = Asking
    app.json = Json(app)
    app.config.update(
        OPENAPI_VERSION="3.1.0",
        VALIDATION_ERROR_STATUS_CODE=400,
        VALIDATION_ERROR_DESCRIPTION="The input cannot be used.",
        MAX_CONTENT_LENGTH=MOST_BODY,
        COMPRESS_ALGORITHM=["gzip"],
        COMPRESS_MIMETYPES=["application/json", "text/html", "application/problem+json"],
        COMPRESS_LEVEL=5,
        COMPRESS_MIN_SIZE=800,
    )
    app.security_schemes = {
        "token": {"type": "http", "scheme": "bearer", "description": "Made with `noctilum token`"},
        "cookie": {"type": "apiKey", "in": "cookie", "name": "noctilum"},
    }
    app.spec_processor(refine)  # type: ignore[arg-type]
    install_problems(app)
    _install_requests(app, install)
    install_access(app)
    app.register_blueprint(routes_people.bp)
    app.register_blueprint(routes_setup.bp)
    app.register_blueprint(routes_imports.bp)
    app.register_blueprint(routes_operating.bp)
    app.register_blueprint(routes_readings.bp)
    app.register_blueprint(reading_routes.blueprint(READINGS))
    app.register_blueprint(routes_noted.bp)
    app.register_blueprint(routes_work.bp)
    app.register_blueprint(routes_alerts.bp)
    app.register_blueprint(routes_monthly.bp)
    app.register_blueprint(routes_ranks.bp)
    app.register_blueprint(routes_reports.bp)
    app.register_blueprint(routes_shares.bp)
    app.register_blueprint(routes_public.bp)
    for resource in RESOURCES:
        app.register_blueprint(resource_routes.blueprint(resource))
    _install_documents(app)
    install_console(app, install)
    Compress(app)
    return app


def _install_requests(app: APIFlask, install: Install) -> None:
    """Number requests, refuse repeated parameters, log, and set the headers that every answer has."""

    @app.before_request
    def _begin() -> None:
        g.began = time.perf_counter()
        g.number = cleaned(request.headers.get("X-Request-Id", ""), 60) or uuid.uuid4().hex[:12]
        check_host(install.settings)
        check_texts(request)
        repeated = [name for name, values in request.args.lists() if len(values) > 1]
        if repeated:
            raise Nonsense(
                "parameter-repeated",
                worded("{repeated} is given more than once.", repeated=repeated[0]),
                where=repeated[0],
            )

    @app.after_request
    def _finish(answer: Response) -> Response:
        answer.headers["X-Request-Id"] = g.get("number", "")
        answer.headers.setdefault("Content-Security-Policy", POLICY)
        answer.headers["X-Content-Type-Options"] = "nosniff"
        answer.headers.setdefault("Referrer-Policy", "same-origin")
        if install.settings.is_https:
            answer.headers["Strict-Transport-Security"] = "max-age=31536000"
        if request.path.startswith("/api/"):
            answer.headers.setdefault("Cache-Control", "no-store")
            took = (time.perf_counter() - g.get("began", time.perf_counter())) * 1000
            log.info(
                "request",
                request=g.get("number"),
                method=request.method,
                path=request.path,
                status=answer.status_code,
                ms=round(took, 1),
            )
        return answer


def _install_documents(app: APIFlask) -> None:
    writing = Lock()

    @cache
    def written() -> tuple[bytes, str]:
        spec = app.spec
        return orjson.dumps(spec), render_template("api.html", spec=spec)

    def described() -> tuple[bytes, str]:
        """Write the interface down once: it takes two seconds, and anybody may ask for it, many at a time."""
        with writing:
            return written()

    @app.get("/api/v1/openapi.json")
    @allow(None)
    @app.doc(hide=True)
    def _openapi() -> Response:
        return Response(described()[0], content_type="application/json")

    @app.get("/api/v1/docs")
    @allow(None)
    @app.doc(hide=True)
    def _docs() -> str:
        return described()[1]
