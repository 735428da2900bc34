"""What tests of pictures share: messages asked for and taken apart."""

import json
import struct

import numpy as np
import simplejpeg


def a_clip(pk):
    """The subject that a page sends for a clip."""
    return {"kind": "clip", "id": pk}


def taken_apart(data):
    """A message's header, and its blocks as arrays by name."""
    (length,) = struct.unpack("<I", data[:4])
    header, at, blocks = json.loads(data[4 : 4 + length]), 4 + length, {}
    for block in header["blocks"]:
        content = data[at : at + block["bytes"]]
        at += block["bytes"]
        blocks[block["name"]] = (
            simplejpeg.decode_jpeg(content) if block["type"] == "jpeg"
            else np.frombuffer(content, np.uint16).reshape(block["shape"])
        )  # fmt: skip
    assert at == len(data)
    return header, blocks


def draft(api, **body):
    """Ask for a picture under the hand."""
    asked = {"view": "v", "sequence": 1, "width": 320} | body
    return taken_apart(api("post", "/pictures/draft", asked).content)
