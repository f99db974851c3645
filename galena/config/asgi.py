"""The one process: pages, the bench's links, the recorder and the live feed."""

import asyncio
import os

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "galena.config.settings")

import django

django.setup(set_prefix=False)

from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import connections

from galena.bench.live.bench import BENCH
from galena.bench.places import flows as places
from galena.config.door import guarded
from galena.config.threads import THREADS, Pages
from galena.keeping.nights import NIGHTS
from galena.lessons import lending
from galena.recording.engine.recorder import RECORDER
from galena.shell.worker import WORKERS


async def _live(receive, send):
    """Open the bench when the server starts and close it when the server stops."""
    while True:
        message = await receive()
        if message["type"] == "lifespan.startup":
            await sync_to_async(RECORDER.open)()
            await sync_to_async(lending.load)()
            BENCH.start(settings.GALENA_STAND_INS, await sync_to_async(places.known)())
            for rig in settings.GALENA_RIGS:
                await asyncio.to_thread(BENCH.plug_in, rig)
            NIGHTS.begin(settings.DATA_DIR)
            await send({"type": "lifespan.startup.complete"})
        elif message["type"] == "lifespan.shutdown":
            await asyncio.to_thread(NIGHTS.end)
            await sync_to_async(RECORDER.close)()
            await BENCH.stop()
            WORKERS.close()
            await asyncio.to_thread(THREADS.close)
            await sync_to_async(connections.close_all)()
            await send({"type": "lifespan.shutdown.complete"})
            return


_guarded = guarded(Pages())


async def application(scope, receive, send):
    """Answer requests, and follow the server's life."""
    if scope["type"] == "lifespan":
        await _live(receive, send)
    else:
        await _guarded(scope, receive, send)
