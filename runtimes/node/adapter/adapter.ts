import type { Duplex } from 'node:stream';
import { z } from 'zod';
import type { Channel } from '../../../engines/v8/channel.js';
import { countsSchema } from '../../../engines/v8/delivery.js';
import type { Entry } from '../../../engines/v8/entry.js';
import type { Hold } from '../../../engines/v8/program.js';
import { MAIN, ProgramAdapter, type Reached } from '../../../engines/v8/program-adapter.js';
import { anythingSchema } from '../../../engines/v8/protocol.js';
import { pathOf } from '../../../engines/v8/scripts.js';
import { RequestError } from '../../../src/adapters/dap-server.js';
import { listeningPorts } from '../../../src/targets/linux.js';
import { helperPart } from '../process/source.js';
import { Agent } from './agent.js';
import { attachSchema } from './attach.js';
import { Workers } from './workers.js';

/** As long as people do not notice (docs/decisions.md); amber.yaml may say otherwise. */
const HOLD: Hold = { milliseconds: 250, times: 5 };
/** How often an agent that closes its connection before it has greeted us is asked for again. */
const GREETINGS = 3;

/** Puts DAP on a Node program: its main thread and its workers, by way of the agent in it. */
export class JavaScriptAdapter extends ProgramAdapter {
  protected override readonly runtime = 'javascript';
  #agent: Agent | undefined;
  #pid: number | undefined;
  #workers: Workers | undefined;

  /** `connect` gives the connection to the agent in a program, which it has brought up if need be. */
  constructor(
    stream: Duplex,
    private readonly connect: (program: {
      pid: number | undefined;
      url: string | undefined;
    }) => Promise<Duplex>,
    /** Of programs that are launched together, which one has stopped before its first line; undefined: none is to. */
    private readonly entry?: Entry,
  ) {
    super(stream);
  }

  protected override async attach(args: unknown): Promise<undefined> {
    const fields = attachSchema.parse(args);
    const { pid, url, requests, output, hold, liveEdit } = fields;
    if (pid === undefined && url === undefined) {
      throw new RequestError('noProgram', 'attach needs `pid`, or `url` of an inspector that is open');
    }
    this.adopt(fields);
    this.#pid = pid;
    const held = { ...HOLD, ...hold };
    const agent = await this.#greet(pid, url, held);
    this.#agent = agent;
    agent.on('closed', () => this.ended(false));
    agent.on('event', (method, params) => {
      if (method === 'Amber.ended') {
        this.counted(MAIN, endedSchema.parse(params).counts);
        this.ended(true);
        agent.close();
      } else if (method === 'Amber.lapsed') {
        void this.#onLapsed();
      } else if (method === 'Amber.remains') {
        this.#tellRemains(remainsSchema.parse(params).scripts);
      }
    });
    const reached: Reached = {
      tellsRequests: requests === true && this.isAmber,
      tellsOutput: output === true && this.isAmber,
      hold: held,
      isEditable: liveEdit !== false,
      folder: agent.folder,
      helperPart,
      pathOf,
      comesAnew: false,
      hasAgent: true,
    };
    const open = (channel: Channel, id: number, name: string, session?: string) =>
      this.open({ channel, agent, id, name, session }, reached);
    await open(agent, MAIN, 'main');
    this.#workers = new Workers(agent, (channel, workerId, title, session) =>
      open(channel, MAIN + workerId, title, session),
    );
    await this.#workers.enable();
    this.server.event('initialized');
    return undefined;
  }

  /** An agent that has just put back what another client has left may leave as we come: then there is another one. */
  async #greet(pid: number | undefined, url: string | undefined, hold: Hold): Promise<Agent> {
    for (let attempt = 1; ; attempt += 1) {
      try {
        return await Agent.greet(await this.connect({ pid, url }), hold);
      } catch (error) {
        const isGone = error instanceof RequestError && error.code === 'gone';
        if (!isGone || attempt === GREETINGS) {
          throw error;
        }
      }
    }
  }

  protected override async configured(): Promise<void> {
    if (this.entry !== undefined) {
      await this.main.launch(this.entry);
    }
  }

  protected override serves(): boolean {
    return this.#pid !== undefined && listeningPorts(this.#pid).length > 0;
  }

  /** We were suspended for so long that the agent has let the program go. Marks are set again; pauses are over. */
  async #onLapsed(): Promise<void> {
    const paused = [...this.threads.values()].filter(({ stop }) => stop !== undefined);
    this.#workers?.forget();
    for (const { id } of paused) {
      this.server.event('continued', { threadId: id, allThreadsContinued: false });
    }
    if (paused.length > 0 || this.marks.all.length > 0) {
      const what = paused.length > 0 ? 'what was paused goes on' : 'all marks were out';
      this.tellTrouble(`nothing was heard of amber for too long, so the program was let go: ${what}`);
    }
    await this.main.lapsed().catch(() => undefined);
    await this.#workers?.enable();
  }

  /** Functions that wait at an await are in the way of taking out what is in them. */
  #tellRemains(scriptIds: string[]): void {
    const paths = scriptIds.flatMap((id) => this.threads.get(MAIN)?.scripts.get(id)?.path ?? []);
    if (paths.length > 0) {
      const what = `functions that have not ended yet keep code of amber that does nothing (${paths.join(', ')})`;
      this.server.event('output', {
        category: 'important',
        output: `amber: ${what}; it is taken out as soon as they have\n`,
      });
    }
  }

  protected override async letGo(): Promise<void> {
    const agent = this.#agent;
    if (agent === undefined) {
      return;
    }
    // What could not be taken out yet, and the session with the engine, are the agent's.
    agent.send('Amber.leave', {}, anythingSchema).catch(() => undefined);
    await agent.gone();
    agent.close();
  }
}

const endedSchema = z.object({ counts: countsSchema.default([]) });
const remainsSchema = z.object({ scripts: z.array(z.string()) });
