import { AsyncStacks } from '../async-stacks.js';
import type { Channel } from '../channel.js';
import type { Helper } from '../helper.js';

/** A program that computes for this share of each second, whose engine is told how many awaits to look across. */
function program(canLook = true) {
  const seen = { share: 0, depths: [] as number[], told: [] as string[] };
  let clock = 0;
  let computed = 0;
  let last = Date.now();
  const now = async (): Promise<[number, number]> => {
    const passed = Date.now() - last;
    last += passed;
    clock += passed;
    computed += passed * seen.share;
    return [clock, computed];
  };
  const tell = async (_: string, { maxDepth }: { maxDepth: number }) => {
    seen.depths.push(maxDepth);
  };
  const stacks = new AsyncStacks(
    { tell } as unknown as Channel,
    { now } as unknown as Helper,
    canLook,
    (text) => seen.told.push(text),
  );
  return { seen, stacks };
}

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

describe('callers across awaits', () => {
  it('are kept while something may stop, in a program that is calm', async () => {
    const { seen, stacks } = program();
    seen.share = 0.4;
    await stacks.want(true);
    await jest.advanceTimersByTimeAsync(60_000);
    await stacks.want(true);
    expect(seen.depths).toEqual([4]);
    await stacks.want(false);
    expect(seen).toMatchObject({ depths: [4, 0], told: [] });
    expect(jest.getTimerCount()).toBe(0);
  });

  it('are left out while it is busy, which is told once, and kept again when it is calm', async () => {
    const { seen, stacks } = program();
    seen.share = 0.95;
    await stacks.want(true);
    await jest.advanceTimersByTimeAsync(5_000);
    expect(seen.depths).toEqual([4, 0]);
    expect(seen.told).toEqual([expect.stringContaining('the program is busy')]);
    // Another mark changes nothing of it.
    await stacks.want(true);
    await jest.advanceTimersByTimeAsync(10_000);
    expect(seen.depths).toEqual([4, 0]);
    seen.share = 0.1;
    await jest.advanceTimersByTimeAsync(60_000);
    expect(seen.depths).toEqual([4, 0, 4]);
    seen.share = 0.95;
    await jest.advanceTimersByTimeAsync(5_000);
    expect(seen.depths).toEqual([4, 0, 4, 0]);
    expect(seen.told).toHaveLength(1);
    stacks.end();
    expect(jest.getTimerCount()).toBe(0);
  });

  it('are not left out for one busy moment', async () => {
    const { seen, stacks } = program();
    await stacks.want(true);
    await jest.advanceTimersByTimeAsync(2_000);
    seen.share = 0.95;
    await jest.advanceTimersByTimeAsync(500);
    seen.share = 0.1;
    await jest.advanceTimersByTimeAsync(10_000);
    expect(seen.depths).toEqual([4]);
    stacks.end();
  });

  it('are kept in a page, which does not tell how busy it is', async () => {
    const { seen, stacks } = program(false);
    await stacks.want(true);
    expect(jest.getTimerCount()).toBe(0);
    expect(seen.depths).toEqual([4]);
  });
});
