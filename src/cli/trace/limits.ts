import { AmberError } from '../../core/errors.js';

/** What ends a trace. */
export interface TraceLimits {
  milliseconds: number | undefined;
  requests: number;
  hits: number;
}

const UNITS: Record<string, number> = { ms: 1, s: 1_000, m: 60_000, h: 3_600_000 };

/** @throws AmberError `AL_USAGE` */
export function readLimits(options: { for?: string; requests?: string; untilHit?: string }): TraceLimits {
  const [, count, unit] = /^(\d+)\s*(ms|s|m|h)$/.exec(options.for ?? '') ?? [];
  if (options.for !== undefined && count === undefined) {
    throw new AmberError('AL_USAGE', `--for ${options.for} is no time`, 'for example --for 60s or --for 5m');
  }
  return {
    milliseconds: count === undefined ? undefined : Number(count) * (UNITS[unit ?? 's'] ?? 0),
    requests: readCount('--requests', options.requests) ?? Number.POSITIVE_INFINITY,
    hits: readCount('--until-hit', options.untilHit) ?? Number.POSITIVE_INFINITY,
  };
}

/** @throws AmberError `AL_USAGE` */
export function readCount(option: string, text: string | undefined): number | undefined {
  if (text === undefined) {
    return undefined;
  }
  if (!/^[1-9]\d*$/.test(text)) {
    throw new AmberError('AL_USAGE', `${option} ${text} is no number from 1 on`, `for example ${option} 20`);
  }
  return Number(text);
}
