import { expect, it } from "vitest";
import { parseDraft } from "./draft";

it("takes a message apart by the blocks that its header names, in their order", async () => {
  const blocks = [
    { name: "picture", type: "jpeg", shape: [1, 1, 3], bytes: 3 },
    { name: "vectorscope", type: "uint16", shape: [2, 2], bytes: 8 },
    { name: "parade", type: "uint16", shape: [3, 2, 2], bytes: 24 },
  ];
  const head = new TextEncoder().encode(JSON.stringify({ sequence: 4, blocks }));
  const parade = Uint16Array.from({ length: 12 }, (_, i) => i * 300);
  const vector = Uint16Array.of(1, 2, 3, 65535);
  const bytes = new Uint8Array(4 + head.length + 3 + 8 + 24);
  new DataView(bytes.buffer).setUint32(0, head.length, true);
  bytes.set(head, 4);
  bytes.set([9, 8, 7], 4 + head.length);
  bytes.set(new Uint8Array(vector.buffer), 7 + head.length);
  bytes.set(new Uint8Array(parade.buffer), 15 + head.length);
  const message = parseDraft(bytes.buffer);
  expect(message.header.sequence).toBe(4);
  expect(message.jpeg.size).toBe(3);
  expect(message.counts).toMatchObject({ columns: 2, levels: 2, side: 2, parade, vector });
});
