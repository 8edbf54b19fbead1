"""Who may ask: requests from pages of others, from other names of this machine, and from the network.

A page on the internet can send requests to this machine's own addresses, also by a name it makes point here. So the
name asked for must be ours, and what changes something must come from our own pages or say by a header that it means
us. Beyond loopback an access token is asked for as well.
"""

from __future__ import annotations

import hmac
from urllib.parse import parse_qsl, urlencode, urlsplit

from flask import Flask, Response, redirect, request
from werkzeug.wrappers import Response as AnyResponse

HEADER = "X-Dynaclast"
"""What programs send with requests that change something; its value does not matter."""
COOKIE = "dynaclast-access"
LOOPBACK = frozenset({"127.0.0.1", "localhost", "::1"})
SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
POLICY = "; ".join(
    (
        "default-src 'self'",
        "script-src 'self'",
        "style-src 'self' 'unsafe-inline'",
        "img-src 'self' data: blob:",
        "font-src 'self' data:",
        "worker-src 'self' blob:",
        "connect-src 'self'",
        "object-src 'none'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Frame-Options": "DENY",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


class Refused(Exception):
    """A request that is not answered: status and what to do."""

    def __init__(self, status: int, message: str) -> None:
        super().__init__(message)
        self.status, self.message = status, message


def _name_of(host: str) -> str:
    return urlsplit(f"//{host}").hostname or ""


def _from_ourselves() -> bool:
    """Whether a browser says that one of our own pages asks."""
    origin = request.headers.get("Origin")
    if origin is not None:
        return origin != "null" and urlsplit(origin).netloc == request.host
    return request.headers.get("Sec-Fetch-Site") == "same-origin"


def _check(names: frozenset[str], token: str) -> AnyResponse | None:
    try:
        name = _name_of(request.host)
    except ValueError:
        name = ""
    if name not in names:
        raise Refused(421, f"this is no address of Dynaclast: '{name}'; open the address it printed when it started")
    foreign = request.headers.get("Origin") is not None and not _from_ourselves()
    if foreign:
        raise Refused(403, "a page of another origin may not ask Dynaclast")
    if request.method not in SAFE and not _from_ourselves() and HEADER not in request.headers:
        raise Refused(403, f"what changes something comes from Dynaclast's own pages, or with the header '{HEADER}: 1'")
    return _admit(token) if token else None


def _admit(token: str) -> AnyResponse | None:
    """Let in who knows the token: by the address that was printed, once, then by a cookie; programs by a header."""
    given = request.args.get("token")
    if given is not None and request.method in SAFE and hmac.compare_digest(given.encode(), token.encode()):
        rest = [(k, v) for k, v in parse_qsl(request.query_string.decode(), keep_blank_values=True) if k != "token"]
        out = redirect(request.path + (f"?{urlencode(rest)}" if rest else ""))
        out.set_cookie(COOKIE, token, httponly=True, samesite="Strict", path="/")
        return out
    bearer = request.headers.get("Authorization", "").removeprefix("Bearer ")
    for known in (request.cookies.get(COOKIE, ""), bearer):
        if hmac.compare_digest(known.encode(), token.encode()):
            return None
    raise Refused(401, "open the whole address that Dynaclast printed when it started: its token lets you in")


def guard(app: Flask, names: frozenset[str] = frozenset(), token: str = "") -> None:
    """Check every request of an application, and send headers that browsers hold its pages to.

    names : other names than those of loopback by which it may be asked
    token : asked for where it is not empty
    """
    ours = LOOPBACK | names

    @app.before_request
    def _before() -> AnyResponse | None:
        return _check(ours, token)

    @app.after_request
    def _after(response: Response) -> Response:
        for name, value in HEADERS.items():
            response.headers.setdefault(name, value)
        return response
