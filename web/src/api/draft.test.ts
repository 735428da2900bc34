import { expect, it } from "vitest";
import { parseDraft } from "./draft";

it("takes a message apart where the header says", async () => {
  const header = { sequence: 4, jpeg: 3, scopes: true, columns: 2, levels: 2, side: 2 };
  const head = new TextEncoder().encode(JSON.stringify(header));
  const parade = Uint16Array.from({ length: 12 }, (_, i) => i * 300);
  const vector = Uint16Array.of(1, 2, 3, 65535);
  const bytes = new Uint8Array(4 + head.length + 3 + 24 + 8);
  new DataView(bytes.buffer).setUint32(0, head.length, true);
  bytes.set(head, 4);
  bytes.set([9, 8, 7], 4 + head.length);
  bytes.set(new Uint8Array(parade.buffer), 7 + head.length);
  bytes.set(new Uint8Array(vector.buffer), 31 + head.length);
  const message = parseDraft(bytes.buffer);
  expect(message.header.sequence).toBe(4);
  expect(message.jpeg.size).toBe(3);
  expect(message.counts?.parade).toEqual(parade);
  expect(message.counts?.vector).toEqual(vector);
});
