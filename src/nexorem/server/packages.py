"""A model with its rows, as it is sent: written to a file without a name first, for a large one does not fit beside what is computed."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Mapping

from flask import Response, send_file

from nexorem.core.model.star import Star
from nexorem.package.write import write_zip


def package_answer(star: Star, data: str, beside: Mapping[str, bytes], name: str) -> Response:
    """The .zip of a data package, to be kept under a name."""
    file = tempfile.TemporaryFile()  # noqa: SIM115 – it is closed when it has been sent
    try:
        write_zip(star, file, data, beside)
        size = file.seek(0, os.SEEK_END)
        file.seek(0)
        answer = send_file(file, mimetype="application/zip")
    except BaseException:
        file.close()
        raise
    answer.content_length = size
    answer.headers["Content-Disposition"] = f'attachment; filename="{name}.zip"'
    return answer
