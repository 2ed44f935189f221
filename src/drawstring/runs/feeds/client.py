"""A running renderer asked for pictures, by version 1 of the feed's protocol."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from drawstring.core.errors import ConflictError, MissingError, SourceError
from drawstring.core.feeds.protocol import (
    Hello,
    LightChange,
    RenderRequest,
    RenderStatus,
    Scenes,
    check_hello,
    read_answer,
)

if TYPE_CHECKING:
    import httpx

ANSWER_S = 10.0
"""How long an answer may take."""

MOST_ANSWER = 16 << 20
MOST_PICTURE = 1 << 30
"""Bytes of an answer and of a picture: more is nothing that was asked for."""


class FeedLostError(SourceError):
    """The renderer does not answer."""


@dataclass(frozen=True)
class Picture:
    """A picture as it came, not read yet.

    Attributes
    ----------
    data : bytes
        An OpenEXR file, if the renderer keeps to the protocol.
    revision, samples : int
    is_complete : bool
        Whether it has all its samples.
    """

    data: bytes
    revision: int
    samples: int
    is_complete: bool


class Feed:
    """The feed at an address.

    Parameters
    ----------
    address : str
        Such as `http://127.0.0.1:8478`.
    client : httpx.Client, optional
        For tests.
    """

    def __init__(self, address: str, client: httpx.Client | None = None) -> None:
        import httpx  # only who looks at a feed needs it

        self.address = address
        self._client = client or httpx.Client(
            base_url=address, timeout=httpx.Timeout(ANSWER_S, connect=3.0), follow_redirects=False
        )

    def close(self) -> None:
        """Let the connection go."""
        self._client.close()

    def hello(self) -> Hello:
        """Ask who is there.

        Raises
        ------
        FeedLostError, SourceError
            Nobody answers; or somebody who speaks another protocol or version.
        """
        return check_hello(read_answer(Hello, self._ask("GET", ""), self.address), self.address)

    def scenes(self) -> Scenes:
        """Ask what can be rendered."""
        return read_answer(Scenes, self._ask("GET", "/scenes"), self.address)

    def render(self, asked: RenderRequest) -> RenderStatus:
        """Ask for a render."""
        body = asked.model_dump(mode="json", exclude_none=True)
        return read_answer(RenderStatus, self._ask("POST", "/renders", json=body), self.address)

    def status(self, number: str) -> RenderStatus:
        """Ask how far a render is."""
        return read_answer(RenderStatus, self._ask("GET", f"/renders/{_plain(number)}"), self.address)

    def cancel(self, number: str) -> RenderStatus:
        """Have a render stopped."""
        return read_answer(RenderStatus, self._ask("POST", f"/renders/{_plain(number)}/cancel"), self.address)

    def relight(self, number: str, lights: Mapping[str, LightChange]) -> RenderStatus:
        """Change lights of a render."""
        body = {name: change.model_dump(mode="json", exclude_none=True) for name, change in lights.items()}
        answer = self._ask("PUT", f"/renders/{_plain(number)}/lights", json=body)
        return read_answer(RenderStatus, answer, self.address)

    def picture(
        self, number: str, frame: int, *, since: int = 0, is_looked_at: bool = True
    ) -> Picture | None:
        """Fetch the newest picture of a frame; None where there is none newer than a revision."""
        response = self._send(
            "GET", f"/renders/{_plain(number)}/frames/{int(frame)}", most=MOST_PICTURE,
            params={"since": since, "look": "yes" if is_looked_at else "no"},
        )  # fmt: skip
        if response.status_code == 204:
            return None
        said = response.headers
        return Picture(
            response.content, _number(said.get("Feed-Revision")), _number(said.get("Feed-Samples")),
            said.get("Feed-Complete", "yes") == "yes",
        )  # fmt: skip

    def _ask(self, method: str, path: str, **how: Any) -> bytes:
        return self._send(method, path, most=MOST_ANSWER, **how).content

    def _send(self, method: str, path: str, *, most: int, **how: Any) -> httpx.Response:
        import httpx

        try:
            with self._client.stream(method, f"/feed/v1{path}", **how) as response:
                body = bytearray()
                for piece in response.iter_raw():
                    body += piece
                    if len(body) > most:
                        raise SourceError(
                            f"The renderer's answer is larger than {most >> 20} MB.", where=self.address,
                            why="It can't be what was asked for.", remedy="Check what listens there.",
                        )  # fmt: skip
                whole = httpx.Response(
                    response.status_code,
                    headers=response.headers,
                    content=bytes(body),
                    request=response.request,
                )
        except httpx.TimeoutException as error:
            raise FeedLostError(
                f"The renderer does not answer within {ANSWER_S:g} s.", where=self.address,
                why="It may be busy, or gone.", remedy="It is asked again by itself; look at the renderer.",
            ) from error  # fmt: skip
        except (httpx.TransportError, httpx.InvalidURL) as error:
            raise FeedLostError(
                "The renderer can't be reached.", where=self.address, why=f"{error or type(error).__name__}.",
                remedy="It is asked again by itself; look whether the renderer runs.",
            ) from error  # fmt: skip
        return self._checked(whole)

    def _checked(self, response: httpx.Response) -> httpx.Response:
        status = response.status_code
        if status in (200, 202, 204):
            return response
        try:
            said = str(response.json().get("error", ""))[:400]
        except Exception:  # whatever it is, it is no word of a renderer
            said = ""
        if status == 404:
            raise MissingError(
                "The renderer does not know this render any more.", where=self.address,
                why="It was started anew, or has rendered much since.", remedy="Ask for it again.",
            )  # fmt: skip
        if status == 422:
            raise ConflictError(
                f"The renderer refuses: {said or 'it does not say why'}.", where=self.address,
                why="Nothing was rendered.", remedy="Ask for what it offers.",
            )  # fmt: skip
        raise SourceError(
            f"The renderer answers with {status}{': ' + said if said else ''}.", where=self.address,
            why="Nothing was rendered.", remedy="Look at the renderer.",
        )  # fmt: skip


def _plain(number: str) -> str:
    """Give a render's number where it can be part of an address."""
    if (
        not number
        or not all(letter.isalnum() or letter in "-_." for letter in number)
        or number.strip(".") == ""
    ):
        raise SourceError(
            "The renderer calls its render by what is no name.", where="feed", why="It can't be asked for.",
            remedy="Look at the renderer.",
        )  # fmt: skip
    return number


def _number(text: str | None) -> int:
    return int(text) if text and text.isdigit() and len(text) < 12 else 0
