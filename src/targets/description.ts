import { readdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import type { Elsewhere } from './elsewhere.js';
import { processFacts } from './linux.js';

/** What an agent writes beside its endpoint; docs/endpoints.md describes it. */
export const descriptionSchema = z.object({
  version: z.literal(1),
  runtime: z.string(),
  runtimeVersion: z.string(),
  pid: z.number().int().positive(),
  /** Start time of the process in ticks since boot; 0 where the system does not tell. */
  startTicks: z.number(),
  /** The signal that wakes the agent; 0 when it cannot be woken by one. */
  signal: z.number().int().min(0),
  socket: z.string(),
  agent: z.string(),
  command: z.string(),
  folder: z.string(),
  /** Of a process that waits before its first line under `amber launch`: which launch. */
  launch: z.string().optional(),
  /** What ended the agent's last session, where something of ours has failed; the program's output is not ours. */
  trouble: z.string().optional(),
  client: z.object({ pid: z.number(), since: z.number() }).nullable(),
});
export type Description = z.infer<typeof descriptionSchema>;

/** The description of one process; undefined when there is none that is readable and still true. */
export function readDescription(folder: string, pid: number): Description | undefined {
  try {
    const parsed = descriptionSchema.safeParse(JSON.parse(readFileSync(join(folder, `${pid}.json`), 'utf8')));
    return parsed.success && isTrue(parsed.data) ? parsed.data : undefined;
  } catch {
    return undefined;
  }
}

/**
 * The description of a process that is elsewhere, with what it says as it is seen from here.
 * @param folder the run folder as the process calls it
 */
export function readDescriptionElsewhere(
  pid: number,
  folder: string,
  { root, pid: inner }: Elsewhere,
): Description | undefined {
  try {
    const text = readFileSync(join(root + folder, `${inner}.json`), 'utf8');
    const described = descriptionSchema.parse(JSON.parse(text));
    const { startTicks } = described;
    const isTrueOfIt = startTicks === 0 || processFacts(pid)?.startTicks === startTicks;
    return isTrueOfIt ? { ...described, pid, socket: root + described.socket } : undefined;
  } catch {
    return undefined;
  }
}

/** The processes that have a description file. */
export function describedPids(folder: string): number[] {
  return readdirSync(folder).flatMap((name) => {
    const [, digits] = /^(\d+)\.json$/.exec(name) ?? [];
    return digits === undefined ? [] : [Number(digits)];
  });
}

/**
 * Descriptions that were not there before, one after the other, by `seen`, the processes whose were: which launch one
 * belongs to does not change.
 */
export function* newDescriptions(folder: string, seen: Set<number>): Generator<Description> {
  for (const pid of describedPids(folder).filter((one) => !seen.has(one))) {
    const description = readDescription(folder, pid);
    if (description !== undefined) {
      seen.add(pid);
      yield description;
    }
  }
}

/** All descriptions of processes that live; files of those that do not are removed. */
export function readDescriptions(folder: string): Description[] {
  const found: Description[] = [];
  for (const pid of describedPids(folder)) {
    const description = readDescription(folder, pid);
    if (description !== undefined) {
      found.push(description);
    } else if (processFacts(pid) === undefined) {
      rmSync(join(folder, `${pid}.json`), { force: true });
      rmSync(join(folder, `${pid}.sock`), { force: true });
    }
  }
  return found;
}

/** A pid is used again after a while; the start time tells the process that wrote the file from a later one. */
function isTrue(description: Description): boolean {
  const facts = processFacts(description.pid);
  return facts !== undefined && (description.startTicks === 0 || facts.startTicks === description.startTicks);
}
