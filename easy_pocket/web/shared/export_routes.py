"""Taking the music away: an address for every format that a pattern, a song or a kit can be written in. What takes
long is written by a worker."""

# No postponed annotations here: each address has the options of its format.
from collections.abc import Callable, Coroutine
from typing import Annotated, Any

from fastapi import APIRouter, Depends
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.registry import Format, Of, written
from easy_pocket.jobs.work import export
from easy_pocket.jobs.workers import LONG_S
from easy_pocket.store.songs.exports import export_file
from easy_pocket.web.shared.dependencies import Reads, SongId, download
from easy_pocket.web.shared.export_address import export_address
from easy_pocket.web.shared.job_routes import begin, workers
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.selection import At

router = APIRouter()
OF_A_SONG: tuple[Of, ...] = ("song", "pattern", "kit")


def _exporting(one: Format) -> Callable[..., Coroutine[Any, Any, Response]]:
    async def taken_away(
        request: Request,
        reader: Reads,
        song_id: SongId,
        at: At,
        options: Annotated[Any, Depends(one.options)],
        job: bool = False,
    ) -> Response:
        if one.slow and job:
            asked = {"label": one.file_label(options), "media_type": one.media_type}
            work = (song_id, at, one.of, one.name, options)
            return JsonResponse({"job": await run_in_threadpool(begin, request, "export", work, asked)}, 202)
        if one.slow:
            name, data = await workers(request).run(export, song_id, at, one.of, one.name, options, seconds=LONG_S)
        else:
            name, data = await run_in_threadpool(export_file, reader, song_id, at, one, options)
        return download(data, name, one.file_label(options), one.media_type)

    return taken_away


for _of in OF_A_SONG:
    for _one in written(_of):
        router.add_api_route(
            f"/songs/{{song_id}}/{export_address(_one)}",
            _exporting(_one),
            methods=["GET"],
            name=f"{_of} as {_one.title}",
        )
