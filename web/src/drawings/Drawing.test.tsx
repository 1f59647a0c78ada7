// @vitest-environment happy-dom
import { ChakraProvider } from "@chakra-ui/react";
import { cleanup, render } from "@testing-library/react";
import { afterEach, expect, it } from "vitest";
import { toolCommands } from "../commands/view";
import { editor } from "../state";
import { system } from "../theme";
import { Drawing } from "./Drawing";
import { DRAWINGS } from "./drawings";

afterEach(cleanup);

const drawn = (of: string) =>
  render(
    <ChakraProvider value={system}>
      <Drawing of={of} />
    </ChakraProvider>,
  ).container;

it("draws each state in its field: known parts, no number beyond the edge", () => {
  for (const [of, states] of Object.entries(DRAWINGS))
    for (const part of states.flatMap((state) => state.split("; "))) {
      expect(part, of).toMatch(/^[ohstbpx] M/);
      // Of absolute commands without arcs every number is a place.
      if (
        /[a-zA]/.test(
          part
            .slice(2)
            .replace(/[Zz]/g, "")
            .replace(/h0|h\.01/g, ""),
        )
      )
        continue;
      for (const number of part.match(/\d+(\.\d+)?/g)!)
        expect(Number(number), `${of}: ${part}`).toBeLessThanOrEqual(20);
    }
});

it("shows before and after with an arrow, one state without", () => {
  expect(drawn("cut").querySelector("svg")!.getAttribute("viewBox")).toBe("0 0 52 20");
  expect(drawn("gap").querySelector("svg")!.getAttribute("viewBox")).toBe("0 0 20 20");
  expect(drawn("nothing of that name").querySelector("svg")).toBeNull();
});

it("has a drawing for each tool", () => {
  for (const { id } of toolCommands(editor)) expect(DRAWINGS[id], id).toBeDefined();
});
