"""The inbox as a web service: files by the open tus protocol 1.0.0 (resumable upload), then a receipt.

A file is announced with its length, package, name and xxh3 sum; announced again it gets the same address, so
that whoever was cut off asks where to go on. When all files of a package's manifest are there, a
receipt is given.
"""

from __future__ import annotations

import base64
import hashlib
import json
import os
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

import xxhash
from flask import Flask, Response, jsonify, make_response, request

TUS = "1.0.0"
CHECKSUM_MISMATCH = 460
"""The status that tus's checksum extension gives to what arrived otherwise than it was sent."""


@dataclass
class Faults:
    """What goes wrong on demand; each count is used up.

    Attributes
    ----------
    busy : int
        So many requests are answered with 503.
    cut : int
        So many uploads are cut off after half of what was sent.
    spoil : int
        So many files arrive with a wrong byte.
    miscount : int
        So many receipts speak of a file too few.
    refuse : str
        Why no package is taken.
    """

    busy: int = 0
    cut: int = 0
    spoil: int = 0
    miscount: int = 0
    refuse: str = ""


@dataclass
class _Upload:
    package: str
    name: str
    length: int
    checksum: str
    path: str
    is_whole: bool = False


@dataclass
class _Inbox:
    folder: str
    faults: Faults
    uploads: dict[str, _Upload] = field(default_factory=dict)


def create_inbox(folder: str, faults: Faults | None = None) -> Flask:
    """Make the inbox.

    Parameters
    ----------
    folder : str
        What arrives lies below it, a folder to a package.
    faults : Faults, optional
        Changed while it runs by POST /faults, too.
    """
    app = Flask(__name__)
    inbox = _Inbox(os.path.realpath(folder), faults or Faults())
    app.extensions["inbox"] = inbox

    @app.before_request
    def busy() -> Response | None:
        if inbox.faults.busy > 0 and request.path != "/faults":
            inbox.faults.busy -= 1
            return _said("The inbox is busy.", 503)
        return None

    @app.post("/files")
    def announce() -> Response:
        if inbox.faults.refuse:
            return _said(inbox.faults.refuse, 422)
        said = _metadata(request.headers.get("Upload-Metadata", ""))
        package, name = said.get("package", ""), said.get("name", "")
        path = os.path.realpath(os.path.join(inbox.folder, package, name))
        if not package or not name or not path.startswith(inbox.folder + os.sep):
            return _said("The file has no package and name that can be used.", 422)
        number = hashlib.sha256(f"{package}/{name}".encode()).hexdigest()[:24]
        length = request.headers.get("Upload-Length", "")
        if not length.isdigit():
            return _said("The file has no length.", 400)
        announced = _Upload(package, name, int(length), said.get("sum", ""), path)
        # Also when this inbox was started anew since it arrived.
        announced.is_whole = os.path.exists(path) and _sum_of(path) == announced.checksum
        inbox.uploads.setdefault(number, announced)
        os.makedirs(os.path.dirname(path), exist_ok=True)
        answer = make_response("", 201)
        answer.headers.update({"Tus-Resumable": TUS, "Location": f"/files/{number}"})
        return answer

    @app.route("/files/<number>", methods=["HEAD"])
    def asked(number: str) -> Response:
        upload = inbox.uploads.get(number)
        if upload is None:
            return _said("Nothing was announced here.", 404)
        answer = make_response("", 200)
        answer.headers.update(
            {
                "Tus-Resumable": TUS, "Upload-Offset": str(_offset(upload)),
                "Upload-Length": str(upload.length), "Cache-Control": "no-store",
            }
        )  # fmt: skip
        return answer

    @app.patch("/files/<number>")
    def take(number: str) -> Response:
        upload = inbox.uploads.get(number)
        if upload is None:
            return _said("Nothing was announced here.", 404)
        if request.headers.get("Upload-Offset") != str(_offset(upload)):
            return _said("That is not where the file goes on.", 409)
        data = request.get_data()
        is_cut = inbox.faults.cut > 0 and len(data) > 1
        if is_cut:
            inbox.faults.cut -= 1
            data = data[: len(data) // 2]
        elif inbox.faults.spoil > 0 and data:
            inbox.faults.spoil -= 1
            data = bytes([data[0] ^ 1]) + data[1:]
        with open(f"{upload.path}.part", "ab") as file:
            file.write(data)
        if is_cut:
            return _said("The line was cut.", 503)
        if _offset(upload) >= upload.length:
            return _finish(upload)
        return _went_on(upload)

    @app.post("/packages/<name>/receipt")
    def receipt(name: str) -> Response:
        whole = {one.name: one for one in inbox.uploads.values() if one.package == name and one.is_whole}
        lacks = sorted(set(_wanted(inbox, name, whole)) - set(whole))
        if lacks or not whole:
            return _said(f"{len(lacks)} files are missing: {', '.join(lacks[:5])}.", 409)
        short = min(inbox.faults.miscount, 1)
        inbox.faults.miscount -= short
        sums = "".join(sorted(one.checksum for one in whole.values()))
        told = {
            "receipt": hashlib.sha256(sums.encode()).hexdigest()[:16],
            "package": name, "files": len(whole) - short, "bytes": sum(one.length for one in whole.values()),
            "at": datetime.now(UTC).isoformat(),
        }  # fmt: skip
        return jsonify(told)

    @app.post("/faults")
    def change_faults() -> Response:
        for key, value in (request.get_json(silent=True) or {}).items():
            if hasattr(inbox.faults, key):
                setattr(inbox.faults, key, value)
        return jsonify(vars(inbox.faults))

    return app


def _wanted(inbox: _Inbox, package: str, whole: dict[str, _Upload]) -> list[str]:
    """Give the files that the package's own manifest names."""
    manifest = next((one for one in whole if os.path.basename(one) == "manifest.json"), None)
    if manifest is None:
        return ["manifest.json"]
    with open(os.path.join(inbox.folder, package, manifest), encoding="utf-8") as file:
        said: dict[str, Any] = json.load(file)
    return [one["file"] for frame in said["frames"] for one in [frame, *frame["proof"].get("beside", [])]]


def _finish(upload: _Upload) -> Response:
    part = f"{upload.path}.part"
    if upload.checksum and _sum_of(part) != upload.checksum:
        os.unlink(part)
        return _said("The file arrived otherwise than it was sent.", CHECKSUM_MISMATCH)
    os.replace(part, upload.path)
    upload.is_whole = True
    return _went_on(upload)


def _sum_of(path: str) -> str:
    digest = xxhash.xxh3_128()
    with open(path, "rb") as file:
        while block := file.read(1 << 22):
            digest.update(block)
    return digest.hexdigest()


def _went_on(upload: _Upload) -> Response:
    answer = make_response("", 204)
    answer.headers.update({"Tus-Resumable": TUS, "Upload-Offset": str(_offset(upload))})
    return answer


def _offset(upload: _Upload) -> int:
    if upload.is_whole:
        return upload.length
    part = f"{upload.path}.part"
    return os.path.getsize(part) if os.path.exists(part) else 0


def _metadata(header: str) -> dict[str, str]:
    pairs = (one.strip().partition(" ") for one in header.split(",") if one.strip())
    return {name: base64.b64decode(value).decode("utf-8", "replace") for name, _, value in pairs}


def _said(what: str, status: int) -> Response:
    answer = jsonify(what=what)
    answer.status_code = status
    answer.headers["Tus-Resumable"] = TUS
    return answer
