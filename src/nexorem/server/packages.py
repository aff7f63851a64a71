"""A model with its rows, as it is sent: written to a file without a name first, for a large one does not fit beside what is computed."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Mapping

from flask import Response
from werkzeug.wsgi import FileWrapper

from nexorem.core.model.star import Star
from nexorem.package.write import write_zip

PART = 1 << 18  # bytes that are sent at a time


def package_answer(star: Star, data: str, beside: Mapping[str, bytes], name: str) -> Response:
    """The .zip of a data package, to be kept under a name."""
    file = tempfile.TemporaryFile()  # noqa: SIM115 – it is closed when it has been sent
    try:
        write_zip(star, file, data, beside)
        size = file.seek(0, os.SEEK_END)
        file.seek(0)
    except BaseException:
        file.close()
        raise
    answer = Response(FileWrapper(file, PART), mimetype="application/zip", direct_passthrough=True)
    answer.content_length = size
    answer.headers["Content-Disposition"] = f'attachment; filename="{name}.zip"'
    return answer
