"""A small stand-in for a store that speaks S3: one bucket in memory, as much of the protocol as a file store needs."""

import re
from contextlib import contextmanager
from email.utils import formatdate
from hashlib import md5
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Thread
from urllib.parse import parse_qs, unquote, urlparse
from xml.sax.saxutils import escape


class _Door(BaseHTTPRequestHandler):
    kept: dict[str, bytes]
    since: dict[str, str]

    def _answer(self, code: int, body: bytes = b"", **headers: str) -> None:
        self.send_response(code)
        for name, value in {"Content-Length": str(len(body)), **headers}.items():
            self.send_header(name.replace("_", "-"), value)
        self.end_headers()
        if self.command != "HEAD":
            self.wfile.write(body)

    @property
    def _key(self) -> str:
        return unquote(urlparse(self.path).path).removeprefix("/pictures").lstrip("/")

    def do_PUT(self) -> None:
        data = self.rfile.read(int(self.headers["Content-Length"]))
        self.kept[self._key], self.since[self._key] = data, formatdate(usegmt=True)
        self._answer(200, ETag=f'"{md5(data, usedforsecurity=False).hexdigest()}"')

    def do_GET(self) -> None:
        if not self._key:
            return self._list()
        data = self.kept.get(self._key)
        if data is None:
            return self._answer(404)
        about = {"Last_Modified": self.since[self._key], "ETag": '"1"', "Content_Type": "application/octet-stream"}
        wanted = re.fullmatch(r"bytes=(\d+)-(\d*)", self.headers.get("Range", ""))
        if wanted:
            data = data[int(wanted[1]) : int(wanted[2]) + 1 if wanted[2] else None]
        return self._answer(206 if wanted else 200, data, **about)

    def do_HEAD(self) -> None:
        self.do_GET()

    def do_DELETE(self) -> None:
        self.kept.pop(self._key, None)
        self._answer(204)

    def _list(self) -> None:
        prefix = parse_qs(urlparse(self.path).query).get("prefix", [""])[0]
        inside = [key.removeprefix(prefix) for key in sorted(self.kept) if key.startswith(prefix)]
        folders = dict.fromkeys(key.split("/")[0] for key in inside if "/" in key)
        rows = "".join(
            f"<Contents><Key>{escape(prefix + key)}</Key><Size>1</Size></Contents>" for key in inside if "/" not in key
        )
        rows += "".join(f"<CommonPrefixes><Prefix>{escape(prefix + f)}/</Prefix></CommonPrefixes>" for f in folders)
        body = f"<ListBucketResult><IsTruncated>false</IsTruncated>{rows}</ListBucketResult>"
        self._answer(200, body.encode(), Content_Type="application/xml")

    def log_message(self, *args: object) -> None:
        """Say nothing."""


@contextmanager
def bucket():
    """A running store: its address and what lies in it."""
    kept: dict[str, bytes] = {}
    server = ThreadingHTTPServer(("127.0.0.1", 0), type("Door", (_Door,), {"kept": kept, "since": {}}))
    Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_address[1]}", kept
    finally:
        server.shutdown()
        server.server_close()
