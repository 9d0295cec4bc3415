"""The server: routes, guards, problems, and the built screens, put together."""

import asyncio
import contextlib
from collections.abc import AsyncIterator
from typing import Any
from uuid import UUID

from anyio import CapacityLimiter, to_thread
from fastapi import FastAPI, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.encoders import jsonable_encoder
from fastapi.staticfiles import StaticFiles
from sqlmodel import Session

from iskelo.api import (
    bundles,
    catalogue,
    checks,
    computer,
    input_lists,
    limits,
    measured,
    parts,
    planning,
    problems,
    reading,
    rigs,
    sheets,
    songs,
    walking,
)
from iskelo.api.aside import Aside
from iskelo.api.asked import EDITING_AT_ONCE, READING_AT_ONCE
from iskelo.api.guards import Guard
from iskelo.api.settings import Settings
from iskelo.api.views import state_of
from iskelo.api.watches import Watches
from iskelo.core.held import give_back
from iskelo.store.database import connect
from iskelo.store.news import News
from iskelo.store.rigs import Stale, read_rig


class _Application(FastAPI):
    """Tells in its contract what a problem looks like."""

    def openapi(self) -> dict[str, Any]:
        return problems.described(self)


TIDY_SECONDS = 30.0


PREPARED_AFTER_SECONDS = 0.2


async def _prepare(aside: Aside) -> None:
    """Have long work ready soon, before anybody is in a hurry; who asks sooner waits for it."""
    await asyncio.sleep(PREPARED_AFTER_SECONDS)
    await to_thread.run_sync(aside.prepare, limiter=CapacityLimiter(1))


async def _keep_small() -> None:
    """Give memory back now and then: what clients leave behind who break off is in circles."""
    while True:
        await asyncio.sleep(TIDY_SECONDS)
        await to_thread.run_sync(give_back, limiter=CapacityLimiter(1))


def create_app(settings: Settings) -> FastAPI:
    """The application on a database that has been migrated."""
    engine, edits_engine = connect(settings.database_url), connect(settings.database_url, EDITING_AT_ONCE + 2)
    news, aside = News(settings.database_url), Aside()
    watches = Watches(news, lambda rig: run_in_threadpool(checks.look, engine, rig))

    @contextlib.asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        to_thread.current_default_thread_limiter().total_tokens = READING_AT_ONCE
        tasks = [asyncio.create_task(each) for each in (news.listen(), _keep_small(), _prepare(aside))]
        yield
        for task in tasks:
            task.cancel()
        aside.end()
        engine.dispose()
        edits_engine.dispose()

    app = _Application(title="Iskelo", version="0.1.0", lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.engine, app.state.edits_engine, app.state.settings = engine, edits_engine, settings
    app.state.watches, app.state.aside = watches, aside
    for each in (
        rigs,
        reading,
        planning,
        input_lists,
        measured,
        checks,
        catalogue,
        limits,
        computer,
        songs,
        sheets,
        parts,
        walking,
        bundles,
    ):
        app.include_router(each.router)
    problems.install(app, settings)

    @app.exception_handler(Stale)
    def stale(request: Request, _: Stale) -> Response:
        """The rig has moved on: say so, with the newer state."""
        with Session(engine) as session:
            state = state_of(session, read_rig(session, UUID(request.path_params["rig_id"])))
        detail = f"The rig was changed meanwhile, in another window; it is at revision {state.revision} now."
        return problems.problem(409, "The rig has moved on", detail, state=jsonable_encoder(state))

    @app.get("/api/health")
    def health() -> dict[str, str]:
        """Whether the server runs."""
        return {"status": "ok"}

    if settings.web_dir is not None:
        app.mount("/assets", StaticFiles(directory=settings.web_dir / "assets"), name="assets")
    app.add_middleware(Guard, walk=settings.walk)
    return app
