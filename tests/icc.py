"""A matrix and tone-curve ICC profile, byte by byte as ISO 15076-1:2010 lays it out."""

import struct

# Red, green and blue of Display P3 under D50, as the registry of the ICC lists them.
DISPLAY_P3 = ((0.51512, 0.2412, -0.00105), (0.29198, 0.69225, 0.04189), (0.1571, 0.06657, 0.78407))
# IEC 61966-2-1: power, a, b, c, d of its curve.
SRGB_CURVE = (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)


def _fixed(*values):
    return b"".join(struct.pack(">i", round(v * 65536)) for v in values)


def profile(colorants=DISPLAY_P3, curve=SRGB_CURVE, name="a display"):
    white = (0.9642, 1.0, 0.8249)
    tone = b"para\0\0\0\0" + struct.pack(">HH", 3, 0) + _fixed(*curve)
    told = struct.pack(">I", len(name) + 1) + name.encode() + bytes(1 + 4 + 4 + 2 + 1 + 67)
    tags = {
        b"desc": b"desc\0\0\0\0" + told, b"wtpt": b"XYZ \0\0\0\0" + _fixed(*white),
        **{c + b"XYZ": b"XYZ \0\0\0\0" + _fixed(*v)
           for c, v in zip((b"r", b"g", b"b"), colorants, strict=True)},
        **{c + b"TRC": tone for c in (b"r", b"g", b"b")}, b"cprt": b"text\0\0\0\0-\0",
    }  # fmt: skip
    table, body = struct.pack(">I", len(tags)), b""
    for key, value in tags.items():
        start = 128 + 4 + 12 * len(tags) + len(body)
        table += key + struct.pack(">II", start, len(value))
        body += value + bytes(-len(value) % 4)
    head = struct.pack(">I", 128 + len(table) + len(body)) + bytes(4)
    head += struct.pack(">I", 0x02400000) + b"mntrRGB XYZ " + bytes(12) + b"acsp" + bytes(28)
    return head + _fixed(*white) + bytes(48) + table + body
