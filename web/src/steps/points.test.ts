import { expect, test } from "vitest";
import { added, moved, type Point } from "./points";

const held = { across: [0, 10] as Point, up: [-1, 1] as Point };
const of = { held, gap: 0.5, decimals: [2, 3] as Point, ends: (): Point[] => [[0, 0], [10, 0]] };

test("a point stays between its neighbours and within what is held", () => {
  const list: Point[] = [[1, 0], [4, 0], [6, 0]];
  expect(moved(of, list, 1, [9, 5])[1]).toEqual([5.5, 1]);
  expect(moved(of, list, 1, [-9, -5])[1]).toEqual([1.5, -1]);
  expect(moved(of, list, 0, [-9, 0])[0]).toEqual([0, 0]);
  expect(moved(of, list, 2, [99, 0])[2]).toEqual([10, 0]);
  expect(moved(of, list, 1, [3.14159, 0.12345])).toEqual([[1, 0], [3.14, 0.123], [6, 0]]);
});

test("a first point brings its ends, the others go where they belong", () => {
  expect(added({ ...of, points: [] }, [4, 0.5])).toEqual([[[0, 0], [4, 0.5], [10, 0]], 1]);
  expect(added({ ...of, points: [[1, 0], [4, 0]] }, [7, 0])).toEqual([[[1, 0], [4, 0], [7, 0]], 2]);
});

test("none is added beside another, or to a curve that has enough", () => {
  expect(added({ ...of, points: [[1, 0], [4, 0]] }, [4.4, 0])).toBeNull();
  expect(added({ ...of, points: [] }, [0.2, 0])).toBeNull();
  const many = Array.from({ length: 16 }, (_, i): Point => [i, 0]);
  expect(added({ ...of, points: many }, [15.5, 0])).toBeNull();
});
