"""A session over its connection: sheets, judgements and sounds of the document that a window edits."""

import base64
import copy
import json
import os
import re
import signal
import struct
import unittest
from contextlib import suppress
from typing import Any, get_args
from unittest.mock import patch

from pydantic import BaseModel, TypeAdapter

from jorvik.core.document.operations import Draft, Operation, apply, compare
from jorvik.core.document.patch import check_patch
from jorvik.core.limits import COARSE_RATE
from jorvik.place import ROOT
from jorvik.web.forms.session import FROM_WINDOW, TO_WINDOW
from jorvik.web.guard import MAX_BODY_BYTES
from jorvik.web.routes.session import FULL
from jorvik.web.services.sessions import MAX_DEATHS, MAX_SESSIONS
from jorvik.web.services.sessions import Sessions as ServedSessions
from tests.support import Json, demos, wait_until
from tests.web.test_api import Api
from tests.web.test_phrases import PHRASE

ARRAYS = ("first", "least", "greatest", "starts_s")
VIEW: Json = {"columns": 300}
RATE = 8_000


def read_frame(data: bytes) -> Json:
    """Return the message of a binary message, its arrays in place of the numbers of their chunks."""
    (length,) = struct.unpack_from("<I", data)
    header = json.loads(data[4 : 4 + length])
    chunks, at = [], 4 + length
    for size in header["chunks"]:
        assert at % 8 == 0
        chunks.append(data[at : at + size])
        at += size + -size % 8
    assert at == len(data)
    return {**header["message"], "chunks": chunks}


def decoded(value: Any) -> Any:
    """Return a sheet with the bytes of each row in place of its base64."""
    if isinstance(value, dict):
        return {
            key: base64.b64decode(each) if key in ARRAYS and isinstance(each, str) and each else decoded(each)
            for key, each in value.items()
        }
    return [decoded(each) for each in value] if isinstance(value, list) else value


def unpacked(value: Any, chunks: list[bytes]) -> Any:
    """Return a sheet with the bytes of each row in place of the number of its chunk."""
    if isinstance(value, dict):
        return {
            key: chunks[each] if key in ARRAYS and isinstance(each, int) else unpacked(each, chunks)
            for key, each in value.items()
        }
    return [unpacked(each, chunks) for each in value] if isinstance(value, list) else value


class Window:
    """A window: it has a document, and sends what it changes of it."""

    def __init__(self, socket: Any) -> None:
        self.socket = socket
        self.revision = 0
        self.draft = Draft({})

    def send(self, **message: Any) -> None:
        self.socket.send_text(json.dumps(message))

    def open(self, patch: Json, **performed: Any) -> None:
        self.revision += 1
        self.draft = Draft({"patch": patch, "performed": performed})
        self.send(type="open", revision=self.revision, document=self.document, rate=RATE)

    def view(self, **view: Any) -> None:
        self.send(type="view", view={**VIEW, **view}, rate=RATE)

    def edit(self, patch: Json) -> None:
        self.revision += 1
        after = {**self.document, "patch": patch}
        operations = compare(self.draft, after)
        self.draft = apply(self.draft, operations)
        sent = [each.model_dump(mode="json") for each in operations]
        self.send(type="edit", revision=self.revision, operations=sent, rate=RATE)

    @property
    def document(self) -> Json:
        return self.draft.document

    def receive(self) -> Json:
        """Return the next message."""
        received = self.socket.receive()
        if received.get("bytes") is not None:
            return read_frame(received["bytes"])
        message: Json = json.loads(received["text"])
        return message

    def next(self, kind: str) -> Json:
        """Return the next message of a kind, which comes without a failure before it."""
        while (message := self.receive())["type"] != kind:
            if message["type"] in ("failed", "refused", "lost"):
                raise AssertionError(message)
        return message

    def failed(self, of: str) -> str:
        """Return the sentence of the next failure."""
        while (message := self.receive())["type"] != "failed":
            pass
        assert message["of"] == of, message
        sentence: str = message["sentence"]
        return sentence


class WithWindows(Api):
    def window(self) -> Window:
        return Window(self.enterContext(self.client.websocket_connect("ws://127.0.0.1:8420/api/session")))

    def opened(self, patch: Json, **performed: Any) -> Window:
        window = self.window()
        window.open(patch, **performed)
        window.view()
        return window

    def is_sheet_of(self, message: Json, window: Window) -> None:
        """Check that a message is the sheet that a script gets of the whole document."""
        self.assertEqual(message["revision"], window.revision)
        body = {"document": window.document["patch"], **window.document["performed"], **VIEW, "rate": RATE}
        expected = self.post("sheet", **body)
        self.assertEqual(unpacked(message["sheet"], message["chunks"]), decoded(expected))


class Sessions(WithWindows):
    def test_the_sheet_of_an_edit_is_that_of_the_whole_document(self) -> None:
        document = demos()["ferry-horn"]
        window = self.opened(document)
        self.is_sheet_of(window.next("sheet"), window)
        less, turned, named = (copy.deepcopy(document) for _ in range(3))
        less["routes"].pop()
        turned["modules"].reverse()
        named["name"] = "other"
        for edited in (less, turned, named):
            window.edit(edited)
            self.is_sheet_of(window.next("sheet"), window)

    def test_arrays_with_the_same_bytes_are_sent_once(self) -> None:
        message = self.opened(demos()["ferry-horn"]).next("sheet")
        self.assertEqual(len(set(message["chunks"])), len(message["chunks"]))

    def test_of_edits_that_come_at_once_the_newest_is_shown(self) -> None:
        window = self.opened(demos()["barge-bell"])
        for number in range(1, 40):
            window.edit({**demos()["barge-bell"], "name": f"edit {number}"})
        seen = [window.next("sheet")]
        while seen[-1]["revision"] < window.revision:
            seen.append(window.next("sheet"))
        revisions = [message["revision"] for message in seen]
        self.assertEqual(revisions, sorted(set(revisions)))
        self.is_sheet_of(seen[-1], window)

    def test_a_judgement_follows_and_its_fixes_lead_to_the_documents_that_a_script_gets(self) -> None:
        window = self.opened(demos()["wrong-click"])
        document = copy.deepcopy(demos()["wrong-click"])
        document["modules"].reverse()
        window.edit(document)
        judged = window.next("judged")
        self.assertEqual(judged["revision"], window.revision)
        # It is judged at the full rate, whatever the sheet has.
        expected = self.post("judge", document=document)
        self.assertEqual(judged["judgement"]["measures"], expected["measures"])
        self.assertEqual(judged["judgement"]["figures"], expected["figures"])
        draft, fixes = Draft(document, window.draft.keys.get("in", {}).get("patch", {})), 0
        for mine, theirs in zip(judged["judgement"]["findings"], expected["findings"], strict=True):
            self.assertIsNone(mine["fixed"])
            self.assertEqual(mine["sentence"], theirs["sentence"])
            if theirs["fixed"] is not None:
                operations = TypeAdapter(list[Operation]).validate_python(mine["operations"])
                mended, whole = check_patch(apply(draft, operations).document), check_patch(theirs["fixed"])
                self.assertEqual(mended.model_dump(), whole.model_dump())
                self.assertLess(len(operations), 3)
                fixes += 1
        self.assertGreater(fixes, 0)

    def test_the_same_document_is_judged_again_when_a_window_asks(self) -> None:
        window = self.opened(demos()["start-plain"])
        first = window.next("judged")
        window.send(type="judge")
        self.assertEqual(window.next("judged"), first)

    def test_an_invalid_document_is_refused_and_the_next_edit_can_mend_it(self) -> None:
        window = self.opened(demos()["ferry-horn"])
        window.next("sheet")
        good = window.document["patch"]
        window.edit({**good, "routes": [{**good["routes"][0], "source": "nothing"}]})
        refused = window.next("refused")
        self.assertEqual(refused["revision"], window.revision)
        self.assertIn("nothing", refused["sentence"])
        window.edit(good)
        self.is_sheet_of(window.next("sheet"), window)

    def test_under_a_phrase_the_other_voices_follow_the_sheet(self) -> None:
        window = self.opened(demos()["ferry-horn"], phrase=PHRASE, voice=1)
        self.is_sheet_of(window.next("sheet"), window)
        voices = window.next("voices")
        body = {"document": window.document["patch"], "phrase": PHRASE, "voice": 1, "rate": COARSE_RATE, **VIEW}
        expected = self.post("voices", **body)
        self.assertEqual(len(expected), len(PHRASE["played"]) - 1)
        self.assertEqual(unpacked(voices["voices"], voices["chunks"]), decoded(expected))

    def test_a_sound_is_that_of_the_document_with_the_note_asked_for(self) -> None:
        window = self.opened(demos()["start-bell"])
        document = {**demos()["start-bell"], "name": "louder"}
        window.edit(document)
        for request, note in enumerate(({}, {"velocity": 30.0}, {"key": 48.0, "length_s": 0.2})):
            window.send(type="hear", request=request, **note)
            heard = window.next("sound")
            body = {"document": document, **note, "with_hits": True}
            expected = self.client.post("/api/sound", json=body)
            self.assertEqual(heard["request"], request)
            self.assertEqual(heard["chunks"][heard["wav"]], expected.content)
            self.assertEqual(f"{heard['loudness_lufs']:.2f}", expected.headers["X-Loudness-LUFS"])
        window.send(type="hear", request=9, velocity=500)
        self.assertIn("500", window.failed("sound"))

    def test_the_hits_of_a_phrase_are_heard(self) -> None:
        hits = [{"id": "thud", "strikes": [{"at": 0.5}]}]
        phrase = {**PHRASE, "hits": hits}
        window = self.opened(demos()["start-bell"], phrase=phrase)
        window.send(type="hear", request=1)
        heard = window.next("sound")
        body = {"document": demos()["start-bell"], "phrase": phrase}
        expected = self.client.post("/api/sound", json={**body, "with_hits": True}).content
        self.assertEqual(heard["chunks"][heard["wav"]], expected)
        self.assertNotEqual(expected, self.client.post("/api/sound", json=body).content)

    def test_wrong_messages_are_answered_and_close_nothing(self) -> None:
        window = self.opened(demos()["start-plain"])
        window.next("sheet")
        deep = '{"type": "edit", "revision": 1, "operations": ' + "[" * 50_000
        texts = ["", "{", "null", "[]", '{"type": "sing"}', '{"type": "edit", "revision": -1, "operations": []}', deep]
        for text in (*texts, '{"type": "view", "view": {"columns": 1e9}}', '{"type": "hear", "request": "x"}'):
            with self.subTest(text=text[:40]):
                window.socket.send_text(text)
                self.assertIn("it must be", window.failed("message"))
        window.socket.send_bytes(b"bytes")
        self.assertIn("JSON", window.failed("message"))
        window.send(type="view", view={"columns": MAX_BODY_BYTES * "9"})
        self.assertIn("at most", window.failed("message"))
        window.edit({**demos()["start-plain"], "name": "still here"})
        self.is_sheet_of(window.next("sheet"), window)

    def test_an_edit_of_what_the_server_does_not_have_lets_the_window_open_it_again(self) -> None:
        window = self.window()
        window.view()
        window.draft = Draft({"patch": demos()["start-plain"], "performed": {}})
        window.edit({**demos()["start-plain"], "name": "never opened"})
        self.assertEqual(window.receive()["type"], "lost")
        window.open(window.document["patch"])
        self.is_sheet_of(window.next("sheet"), window)
        window.send(type="edit", revision=9, operations=[{"op": "unset", "at": ["patch", "modules", "nobody", "x"]}])
        self.assertEqual(window.receive()["type"], "lost")

    def test_windows_do_not_see_each_other(self) -> None:
        one, other = (self.opened(demos()[name]) for name in ("ferry-horn", "barge-bell"))
        for window in (one, other):
            self.is_sheet_of(window.next("sheet"), window)

    def test_no_more_windows_than_the_limit(self) -> None:
        windows = [self.window() for _ in range(MAX_SESSIONS)]
        late = self.window()
        self.assertIn(str(MAX_SESSIONS), late.failed("message"))
        self.assertEqual(late.socket.receive()["code"], FULL)
        windows[0].socket.close()
        sessions: ServedSessions = self.client.app.state.sessions  # type: ignore[attr-defined]
        wait_until(lambda: sessions.count < MAX_SESSIONS, "a closed window was still counted")
        again = self.opened(demos()["start-plain"])
        self.is_sheet_of(again.next("sheet"), again)


class Killed(WithWindows):
    """A session whose process is killed."""

    def test_the_window_opens_the_document_again_and_goes_on(self) -> None:
        sessions: ServedSessions = self.client.app.state.sessions  # type: ignore[attr-defined]
        window = self.opened(demos()["ferry-horn"])
        window.next("sheet")
        for pid in sessions.workers.pids:
            # One that an earlier test killed is started again when it is needed.
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        window.edit({**demos()["ferry-horn"], "name": "after"})
        self.assertEqual(window.receive()["type"], "lost")
        window.open(window.document["patch"])
        self.is_sheet_of(window.next("sheet"), window)

    def test_a_sound_of_a_lost_document_says_so(self) -> None:
        sessions: ServedSessions = self.client.app.state.sessions  # type: ignore[attr-defined]
        window = self.opened(demos()["start-bell"])
        window.next("judged")
        for pid in sessions.workers.pids:
            # One that an earlier test killed is started again when it is needed.
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        for _ in range(2):
            window.send(type="hear", request=1)
            self.assertEqual(window.receive()["type"], "lost")
        window.open(window.document["patch"])
        window.send(type="hear", request=1)
        self.assertEqual(window.next("sound")["request"], 1)

    def test_a_document_that_kills_its_process_is_refused_after_the_third_time(self) -> None:
        window = self.window()
        window.view()
        with patch("jorvik.web.services.session_tasks.change", kill):
            for _ in range(MAX_DEATHS - 1):
                window.open(demos()["start-plain"])
                self.assertEqual(window.receive()["type"], "lost")
            window.open(demos()["start-plain"])
            self.assertIn("stopped the process", window.failed("sheet"))
        # Changed, it is computed again.
        window.edit({**demos()["start-plain"], "name": "changed"})
        self.assertEqual(window.receive()["type"], "lost")
        window.open(window.document["patch"])
        self.is_sheet_of(window.next("sheet"), window)


def kill(*_: object) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


class Documented(unittest.TestCase):
    """The page about the protocol has an example of each message, and each is what it says."""

    def test_every_message_has_an_example_that_is_valid(self) -> None:
        page = (ROOT / "docs" / "protocol.md").read_text()
        examples = [json.loads(text) for text in re.findall(r"```json\n(.*?)```", page, re.DOTALL)]
        for adapter in (FROM_WINDOW, TO_WINDOW):
            named = {each["type"] for each in examples if is_one_of(adapter, each)}
            choices = {get_args(model.model_fields["type"].annotation)[0] for model in models_of(adapter)}
            self.assertEqual(named, choices)


def models_of(adapter: TypeAdapter[Any]) -> list[type[BaseModel]]:
    return list(get_args(get_args(adapter._type)[0]))


def is_one_of(adapter: TypeAdapter[Any], message: Json) -> bool:
    if message["type"] not in {get_args(model.model_fields["type"].annotation)[0] for model in models_of(adapter)}:
        return False
    adapter.validate_python(message)
    return True


if __name__ == "__main__":
    unittest.main()
