"""MQTT 5 and 3.1.1 (OASIS): a message a reading at quality of service 1, taken once the broker has acknowledged it."""

from __future__ import annotations

import contextlib
import threading

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from ...errors import MisuseError
from ..errors import AwayError
from ..way import ForwardAddress, Opens

_PATIENCE_S = 10.0
_PORTS = {"mqtt": 1883, "mqtts": 8883}
_OLD_SPEECH = {0x84, 1}
"""Reason codes of a broker that does not know version 5."""


class MqttWay:
    """Publishes readings; connects when the first one goes out, and again after a failure."""

    def __init__(self, address: ForwardAddress) -> None:
        self._address = address
        if not address.parts.path.strip("/"):
            raise MisuseError("it names no topic.", where=address.url, hint="Write mqtt://HOST:PORT/TOPIC.")
        self._client: mqtt.Client | None = None
        self._version = mqtt.MQTTv5
        self._refusal = ""

    def deliver(self, place: str, body: bytes) -> None:
        """Publish one reading and wait for the acknowledgement."""
        client = self._client or self._connected()
        try:
            sent = client.publish(place.lstrip("/"), body, qos=1)
            sent.wait_for_publish(_PATIENCE_S)
            taken = sent.is_published()
        except (RuntimeError, ValueError, OSError) as error:
            self._let_go()
            raise AwayError(f"it does not take a message ({error}).", where=self._address.url) from error
        if not taken or not client.is_connected():
            self._let_go()
        if not taken:
            raise AwayError("it does not acknowledge.", where=self._address.url)

    def close(self) -> None:
        """Take leave of the broker."""
        self._let_go()

    def _connected(self) -> mqtt.Client:
        try:
            return self._try()
        except AwayError:
            if self._version != mqtt.MQTTv5 or not self._is_old:
                raise
            self._version = mqtt.MQTTv311
            return self._try()

    def _try(self) -> mqtt.Client:
        address = self._address
        client = mqtt.Client(CallbackAPIVersion.VERSION2, protocol=self._version, reconnect_on_failure=False)
        answered, self._refusal, self._is_old = threading.Event(), "", False

        def on_connect(_client, _data, _flags, reason, _properties):  # type: ignore[no-untyped-def]
            self._refusal = str(reason) if reason.is_failure else ""
            self._is_old = reason.value in _OLD_SPEECH
            answered.set()

        client.on_connect = on_connect
        client.on_connect_fail = lambda _client, _data: answered.set()
        client.on_disconnect = lambda *_: answered.set()
        if address.user:
            client.username_pw_set(address.user, address.password)
        if address.parts.scheme == "mqtts":
            client.tls_set()
        try:
            client.connect(address.host, address.parts.port or _PORTS[address.parts.scheme])
            client.loop_start()
        except (OSError, ValueError) as error:
            raise AwayError(f"it cannot be reached ({error}).", where=address.url) from error
        answered.wait(_PATIENCE_S)
        if self._refusal or not client.is_connected():
            client.loop_stop()
            raise AwayError(f"it refuses ({self._refusal or 'no answer'}).", where=address.url)
        self._client = client
        return client

    def _let_go(self) -> None:
        client, self._client = self._client, None
        if client is not None:
            with contextlib.suppress(OSError, ValueError, RuntimeError):
                client.disconnect()
            client.loop_stop()


OPENS = Opens(("mqtt", "mqtts"), "mqtt://HOST:PORT/TOPIC", MqttWay)
