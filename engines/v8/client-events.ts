import * as asked from '../../src/adapters/arguments.js';
import type { DapServer } from '../../src/adapters/dap-server.js';
import type { Left, RequestNews, ToldRows } from './delivery.js';
import type { Mark } from './marks.js';
import type { ThreadStop } from './stopping.js';
import type { JavaScriptThread } from './thread.js';

/** What a string and an integer of JSON stand for. */
const TYPES = { text: 'string', whole: 'number' };

/** What the client of a program is told without having asked: DAP's events, and ours for our own clients. */
export class ClientEvents {
  constructor(
    private readonly server: DapServer,
    /** Whether the client is one of ours. */
    private readonly isAmber: () => boolean,
  ) {}

  /** @param isServing whether others wait for what the thread does */
  stopped(
    thread: JavaScriptThread,
    { reason, marks, error, request, others }: ThreadStop,
    isServing: boolean,
  ): void {
    const holds = isServing ? { holds: { what: 'the event loop', waiting: others ?? null } } : {};
    const amber = { ...(request ? { request } : {}), ...holds };
    this.server.event('stopped', {
      reason,
      threadId: thread.id,
      allThreadsStopped: false,
      ...(marks.length > 0 ? { hitBreakpointIds: marks.map(({ id }) => id) } : {}),
      ...(error ? { text: error.type } : {}),
      ...(this.isAmber() ? { amber } : {}),
    });
  }

  mark(mark: Mark): void {
    this.server.event('breakpoint', { reason: 'changed', breakpoint: mark.describe() });
  }

  /** To our own clients in batches; to others as lines of output. */
  hits({ first, rows, marks, requests }: ToldRows, { dropped, unread }: Left, news: RequestNews): void {
    if (this.isAmber()) {
      this.server.event('amberHits', {
        first,
        types: TYPES,
        hits: rows,
        dropped: countsById(dropped),
        unread: countsById(unread),
        requests,
        ...news,
      });
      return;
    }
    for (const [index, [, , , ...told]] of rows.entries()) {
      const text = asked.hitText(marks[index]?.wanted.message ?? '', told, TYPES);
      this.server.event('output', { category: 'console', output: `${text}\n` });
    }
  }
}

function countsById(counts: ReadonlyMap<Mark, number>): Record<string, number> {
  return Object.fromEntries([...counts].map(([mark, count]) => [mark.id, count]));
}
