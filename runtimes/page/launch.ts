import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { AmberError } from '../../src/core/errors.js';
import { patient } from '../../src/core/patience.js';
import { onPath } from '../../src/targets/on-path.js';
import { startOutliving } from '../../src/targets/outliving.js';
import { removeFolder } from '../../src/targets/remove-folder.js';
import { userId } from '../../src/targets/run-folder.js';
import { chosenPort } from './browsers.js';

/** Browsers that speak the protocol, by the names of their programs. */
const PROGRAMS = [
  'chromium',
  'chromium-browser',
  'google-chrome',
  'google-chrome-stable',
  'microsoft-edge',
  'brave',
];
/** Milliseconds in which a browser has to open its port. */
const LONGEST = 20_000;
const LOOK_INTERVAL = 20;

/** A browser with a profile of its own, which is gone with it. */
export class LaunchedBrowser {
  /** Done when the browser has ended, whoever ended it. */
  readonly ended: Promise<void>;

  /**
   * Starts an installed browser with an empty page; without a display it shows nothing.
   * @throws AmberError `AL_NO_COMMAND` where there is none, or it does not start
   */
  static async start(environment: NodeJS.ProcessEnv): Promise<LaunchedBrowser> {
    const named = environment.AMBER_BROWSER_PROGRAM;
    const program = named ?? PROGRAMS.map((name) => onPath(name)).find((path) => path !== undefined);
    if (program === undefined) {
      throw new AmberError(
        'AL_NO_COMMAND',
        'there is no browser here that can be attached to',
        'apt install chromium, or name one in AMBER_BROWSER_PROGRAM',
      );
    }
    const profile = mkdtempSync(join(tmpdir(), 'amber-browser-'));
    const hasDisplay = Boolean(environment.DISPLAY || environment.WAYLAND_DISPLAY);
    const args = [
      '--remote-debugging-port=0',
      `--user-data-dir=${profile}`,
      '--no-first-run',
      '--no-default-browser-check',
      ...(hasDisplay ? [] : ['--headless=new']),
      // Its sandbox is not for root.
      ...(userId() === 0 ? ['--no-sandbox'] : []),
      'about:blank',
    ];
    const child = spawn(program, args, { stdio: 'ignore', detached: true });
    const browser = new LaunchedBrowser(child, profile);
    // However amber ends, the browser ends with it.
    startOutliving('src/targets/sweeper', [profile, `${child.pid}`]).stdout.destroy();
    try {
      await browser.#up(program);
      return browser;
    } catch (error) {
      browser.end();
      throw error;
    }
  }

  private constructor(
    private readonly child: ChildProcess,
    private readonly profile: string,
  ) {
    this.ended = new Promise((done) => {
      child.once('exit', () => done());
      child.once('error', () => done());
    });
  }

  /** `HOST:PORT` of its debugging port. */
  get address(): string {
    return `127.0.0.1:${chosenPort(this.profile)}`;
  }

  get pid(): number {
    return this.child.pid ?? 0;
  }

  async #up(program: string): Promise<void> {
    let isGone = false;
    void this.ended.then(() => {
      isGone = true;
    });
    for (const until = Date.now() + patient(LONGEST); chosenPort(this.profile) === undefined; ) {
      if (isGone || Date.now() > until) {
        throw new AmberError(
          'AL_NO_COMMAND',
          `${program} does not start`,
          `does it start by itself? ${program} about:blank`,
        );
      }
      await new Promise((done) => setTimeout(done, LOOK_INTERVAL));
    }
  }

  /** Ends it, with everything that it has started and kept. */
  end(): void {
    try {
      process.kill(-this.pid, 'SIGKILL');
    } catch {
      // It has ended by itself.
    }
    removeFolder(this.profile);
  }
}
