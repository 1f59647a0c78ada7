import { expect, it, vi } from "vitest";
import { MapsManager } from "./MapsManager";

const texture = () => ({ dispose: vi.fn() }) as never;

it("lets go of the texture before when another is laid on the model", () => {
  const maps = new MapsManager();
  const heard = vi.fn();
  maps.signal.subscribe(heard);
  const one = { dispose: vi.fn() };
  maps.lay({ texture: one as never, frame: [1, 0, 2, 1] });
  expect(maps.textureFrame).toEqual([1, 0, 2, 1]);
  maps.lay({ texture: texture(), frame: [0, 0, 1, 1] });
  expect(one.dispose).toHaveBeenCalledOnce();
  maps.lay(null);
  expect(maps.texture).toBeNull();
  expect(heard).toHaveBeenCalledTimes(3);
});

it("keeps the wipes within the view", () => {
  const maps = new MapsManager();
  maps.look({ withoutTo: 1.4, paintedTo: -0.2 });
  expect([maps.view.withoutTo, maps.view.paintedTo]).toEqual([1, 0]);
  maps.look({ light: 90 });
  expect(maps.view).toMatchObject({ light: 90, withoutTo: 1, mip: 0 });
});
