"""Serving by https: the certificate follows the computer's addresses, and devices get that of the
authority at a plain address beside it."""

from __future__ import annotations

import asyncio
import ssl
from collections.abc import Iterable
from pathlib import Path
from string import Template

from galena.config.certificates import AUTHORITY, Authority
from galena.shell.room import NAME, NAMES, own_addresses

CHECKS_EVERY = 60.0  # s: another network, or a certificate that runs out
OWN_NAMES = ("localhost", "127.0.0.1")
PAGE = Path(__file__).with_name("certificate_page.html")
POLICY = (
    b"default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; "
    b"form-action 'none'"
)
CERTIFICATE_TYPE = b"application/x-x509-ca-cert"


class Https:
    """The server's side of https: its context, renewed while it runs."""

    def __init__(self, folder: Path) -> None:
        self.authority = Authority(folder)
        self.context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        self.context.minimum_version = ssl.TLSVersion.TLSv1_2
        self._named: set[str] = set()
        self.renew(own_addresses())

    def renew(self, addresses: Iterable[str]) -> None:
        """Have the certificate name these addresses; connections from now on get it."""
        hosts = {*OWN_NAMES, *NAMES, *addresses}
        certificate, key = self.authority.vouch_for(hosts)
        self.context.load_cert_chain(certificate, key)
        self._named = hosts

    async def keep_up(self) -> None:
        """Renew while the server runs."""
        while True:
            await asyncio.sleep(CHECKS_EVERY)
            await asyncio.to_thread(lambda: self.renew(own_addresses()))


def certificate_door(authority: Authority, port: int):
    """Give the application at the plain address: a page, the certificate, and a way on."""
    certificate = authority.file.read_bytes()
    page = Template(PAGE.read_text("utf-8"))

    async def application(scope, receive, send) -> None:
        if scope["type"] == "lifespan":
            await _live(receive, send)
            return
        if scope["type"] != "http":
            return
        host = _host_of(scope)
        if scope["path"] == f"/{AUTHORITY.replace('.pem', '.crt')}":
            await _answer(send, certificate, CERTIFICATE_TYPE, "galena.crt")
            return
        filled = page.substitute(
            address=f"https://{host}:{port}/", fingerprint=authority.fingerprint
        )
        await _answer(send, filled.encode(), b"text/html; charset=utf-8")

    return application


def _host_of(scope) -> str:
    """Give the name that a device came by, where it is one that an address can have."""
    named = dict(scope["headers"]).get(b"host", b"").decode("latin-1").rpartition(":")[0]
    return named if named and all(one.isalnum() or one in ".-" for one in named) else NAME


async def _live(receive, send) -> None:
    while True:
        message = await receive()
        await send({"type": f"{message['type']}.complete"})
        if message["type"] == "lifespan.shutdown":
            return


async def _answer(send, body: bytes, kind: bytes, name: str = "") -> None:
    headers = [
        (b"content-type", kind),
        (b"content-length", str(len(body)).encode()),
        (b"content-security-policy", POLICY),
        (b"x-content-type-options", b"nosniff"),
    ]  # fmt: skip
    if name:
        headers.append((b"content-disposition", f'attachment; filename="{name}"'.encode()))
    await send({"type": "http.response.start", "status": 200, "headers": headers})
    await send({"type": "http.response.body", "body": body})
