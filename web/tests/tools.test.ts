// The list of tools: no key and no name twice, every key told.
import assert from "node:assert/strict";
import { test } from "node:test";
import { byKey, TOOLS } from "../src/tools";

test("no two tools share a key or a name, and each says what it does", () => {
  const keys = TOOLS.flatMap((tool) => tool.keys);
  assert.equal(new Set(keys).size, keys.length);
  assert.equal(new Set(TOOLS.map((tool) => tool.id)).size, TOOLS.length);
  for (const tool of TOOLS) {
    assert.ok(tool.title.length > 2, tool.id);
    assert.ok(tool.mode === true || tool.press !== undefined, `${tool.id} does something`);
    for (const key of tool.keys) assert.equal(byKey(key), tool);
  }
  assert.equal(byKey("z"), undefined);
});
