"""HTTP and HTTPS (RFC 9110): a POST a reading, taken once a status of success comes back."""

from __future__ import annotations

from urllib.parse import quote, urlunsplit

import httpx

from ..errors import AwayError
from ..way import ForwardAddress, Opens

_PATIENCE_S = 10.0


class HttpWay:
    """Posts readings over one connection that is kept."""

    def __init__(self, address: ForwardAddress) -> None:
        parts = address.parts
        self._base = parts._replace(netloc=parts.netloc.rpartition("@")[2])
        self._where = address.url
        login = httpx.BasicAuth(address.user, address.password or "") if address.user else None
        # a proxy of the surroundings must not get what is meant for another host
        self._client = httpx.Client(timeout=_PATIENCE_S, auth=login, trust_env=False)

    def deliver(self, place: str, body: bytes) -> None:
        """Post one reading."""
        url = urlunsplit(self._base._replace(path=quote(place, safe="/:@!$&'()*+,;=~")))
        try:
            answer = self._client.post(url, content=body, headers={"Content-Type": "application/json"})
        except (httpx.HTTPError, httpx.InvalidURL, OSError) as error:
            raise AwayError(f"it does not answer ({type(error).__name__}).", where=self._where) from error
        if not answer.is_success:
            raise AwayError(f"it answers {answer.status_code} {answer.reason_phrase}.", where=self._where)

    def close(self) -> None:
        """Let go of the connection."""
        self._client.close()


OPENS = Opens(("http", "https"), "http://HOST:PORT/PATH", HttpWay)
