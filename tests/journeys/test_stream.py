"""Ten seconds of a clip at twelve frames a second through the connection for streams."""

import json

import pytest
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

# A page without controls: it shows what comes on a canvas, and says so.
PLAY = """
([clip, stand, frames]) => new Promise((resolve) => {
  const socket = new WebSocket(`ws://${location.host}/api/stream`);
  socket.binaryType = 'arraybuffer';
  const canvas = document.createElement('canvas');
  const got = { numbers: [], frames: [], sizes: [] };
  let ended = null, showing = Promise.resolve();
  const show = async (data) => {
    const length = new DataView(data).getUint32(0, true);
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length)));
    const picture = await createImageBitmap(new Blob([data.slice(4 + length)]));
    [canvas.width, canvas.height] = [picture.width, picture.height];
    canvas.getContext('2d').drawImage(picture, 0, 0);
    got.numbers.push(head.number);
    got.frames.push(head.frame);
    got.sizes.push(picture.width);
    socket.send(JSON.stringify({ kind: 'shown', view: head.view, sequence: head.sequence }));
  };
  socket.onopen = () => socket.send(JSON.stringify({ kind: 'play', view: 'v', last: 23,
    loops: true, rate: 12, frames,
    seen: { subject: { kind: "clip", id: clip }, stand, width: 480 } }));
  socket.onmessage = ({ data }) => {
    if (typeof data !== 'string') showing = showing.then(() => show(data));
    else { ended = JSON.parse(data); showing.then(() => socket.close()); }
  };
  socket.onclose = () => resolve({ ...got, ended });
})
"""


def test_a_clip_plays_for_ten_seconds_and_what_is_dropped_is_counted(page):
    address = page.url.rstrip("/")
    angle = page.request.get(f"{address}/api/lights/1/cameras/3").json()
    clip = next(c for c in angle["angle"]["clips"] if c["kind"] == "scene")
    assert clip["frame_count"] == 24
    got = page.evaluate(PLAY, [clip["id"], clip["stand"], 120])
    ended, numbers = got["ended"], got["numbers"]
    told = f"shown {ended['sent']} of 120, dropped {ended['dropped']}"
    assert (ended["kind"], ended["sent"]) == ("ended", len(numbers))
    # Every frame that was due is shown or counted, in order, and is the one that was due.
    assert ended["sent"] + ended["dropped"] == 120
    assert numbers == sorted(set(numbers))
    assert got["frames"] == [n % 24 for n in numbers]
    assert set(got["sizes"]) == {480}
    # One picture in ten seconds would be a still: the clock goes on, and so do the pictures.
    assert len(numbers) >= 30, told


def seen(clip):
    return {"subject": {"kind": "clip", "id": clip}, "width": 64}


def test_the_stream_is_closed_to_other_pages_and_says_what_it_does_not_understand(server):
    address = server.replace("http", "ws") + "/api/stream"
    with pytest.raises((InvalidStatus, ConnectionClosed)):
        connect(address, origin="http://elsewhere.example").recv(timeout=5)
    with connect(address, origin=server) as socket:
        socket.send("{}")
        assert json.loads(socket.recv(timeout=30))["code"] == "stream.message"
        nobody = {"kind": "play", "view": "v", "last": 1, "rate": 12, "seen": seen(99999)}
        socket.send(json.dumps(nobody))
        assert json.loads(socket.recv(timeout=30))["code"] == "not_found"
        assert json.loads(socket.recv(timeout=30)) == {
            "kind": "ended", "view": "v", "sent": 0, "dropped": 0,
        }  # fmt: skip
        # Nothing is said to be shown: two pictures come, the others are dropped.
        socket.send(json.dumps(nobody | {"rate": 30, "frames": 240, "last": 3, "loops": True,
                                         "seen": seen(1)}))  # fmt: skip
        pictures = [socket.recv(timeout=30) for _ in range(2)]
        assert all(isinstance(data, bytes) for data in pictures)
        ended = json.loads(socket.recv(timeout=30))
        assert (ended["sent"], ended["dropped"]) == (2, 238)
