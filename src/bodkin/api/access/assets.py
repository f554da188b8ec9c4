"""The client's scripts and styles, as they were compressed when the client was built."""

from pathlib import Path

from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers
from starlette.responses import Response
from starlette.types import Scope

TYPES = {".js": "text/javascript; charset=utf-8", ".css": "text/css; charset=utf-8"}


class Assets(StaticFiles):
    """Static files; of one that lies there compressed too, that where the browser takes it."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        """The file at a path below the folder. Raises HTTPException where there is none."""
        takes = [one.split(";")[0].strip() for one in Headers(scope=scope).get("accept-encoding", "").split(",")]
        small = f"{path}.gz"
        if "gzip" not in takes or Path(path).suffix not in TYPES or not self.lookup_path(small)[0]:
            return await super().get_response(path, scope)
        response = await super().get_response(small, scope)
        response.headers["Content-Type"] = TYPES[Path(path).suffix]
        if response.status_code == 200:
            response.headers["Content-Encoding"] = "gzip"
        response.headers["Vary"] = "Accept-Encoding"
        return response
