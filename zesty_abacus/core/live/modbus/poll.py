"""Polls a register map: block by block, at a period, through failures."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass

from ...frames.table import FrameTable
from ...layouts.model import Layout
from ..errors import EndpointError, LinkDownError
from .blocks import Block, blocks_of, space_of
from .endpoint import ModbusEndpoint
from .errors import ExchangeError, NoAnswerError, RefusedError
from .requests import read_request

_AGAIN_S = 1.0
"""How long a connection that cannot be made is left alone."""
_SILENT = 2
"""After so many requests without an answer the connection may be dead on the other side: it is made anew."""


@dataclass(slots=True)
class PollCounts:
    """How a poll went so far: requests, good answers, and answers that were missing, wrong or refused."""

    asked: int = 0
    good: int = 0
    bad: int = 0


class Poll:
    """Reads the registers of a map again and again.

    Attributes
    ----------
    counts
    blocks
        What is asked for; a block across holes is divided once the device refuses it.
    """

    def __init__(self, endpoint: ModbusEndpoint, layout: Layout, *, is_received_elsewhere: bool = False) -> None:
        """Poll a map.

        Parameters
        ----------
        is_received_elsewhere
            Whether somebody else opens the endpoint and takes what comes from it; then only what went wrong is yielded.
        """
        self.endpoint = endpoint
        self._is_elsewhere = is_received_elsewhere
        self.counts = PollCounts()
        self.blocks: tuple[Block, ...] = blocks_of(layout)
        self._space = space_of(layout)
        self._is_open = False
        self._opened_at = float("-inf")
        self._silent = 0

    def round(self) -> Iterator[FrameTable | EndpointError]:
        """Ask for each block once; yield the frames of an exchange as it is over, or what went wrong."""
        if not self._is_open and not self._is_elsewhere:
            try:
                self._connect()
            except EndpointError as error:
                yield error
            if not self._is_open:
                return
        for block in self.blocks:
            for came in self._ask(block):
                if isinstance(came, EndpointError) or not self._is_elsewhere:
                    yield came
            if not self._is_open and not self._is_elsewhere:
                return

    def _connect(self) -> None:
        if time.monotonic() - self._opened_at < _AGAIN_S:
            return
        self._opened_at = time.monotonic()
        self.endpoint.open()
        self._is_open = True

    def _ask(self, block: Block) -> Iterator[FrameTable | EndpointError]:
        self.counts.asked += 1
        try:
            self.endpoint.ask(read_request(self._space, block.first, block.count))
            self.counts.good += 1
            self._silent = 0
            yield self._came()
        except RefusedError as error:
            self.counts.bad += 1
            yield self._came()
            if error.is_about_the_place and block.has_holes:
                parts = block.without_holes()
                at = self.blocks.index(block)
                self.blocks = (*self.blocks[:at], *parts, *self.blocks[at + 1 :])
                for part in parts:
                    yield from self._ask(part)
                return
            yield error
        except ExchangeError as error:
            self.counts.bad += 1
            yield self._came()
            if isinstance(error, NoAnswerError):
                self._silent += 1
                if self._silent >= _SILENT:
                    self.close()
            yield error
        except LinkDownError as error:
            self.counts.bad += 1
            self.close()
            yield error

    def _came(self) -> FrameTable:
        return FrameTable.empty() if self._is_elsewhere else self.endpoint.receive(0)

    def close(self) -> None:
        """Let go of the connection; the next round makes it again."""
        if not self._is_elsewhere:
            self._is_open = False
            self.endpoint.close()
