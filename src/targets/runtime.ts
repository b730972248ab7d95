import type { Duplex } from 'node:stream';
import type { Finding } from '../core/finding.js';
import type { Description } from './description.js';
import type { Elsewhere } from './elsewhere.js';
import type { ProcessFacts } from './linux.js';
import type { Target } from './target.js';
import type { Lending } from './unprepared/lending.js';

/** What is known of a process before its runtime is asked whether it can be attached to. */
export interface Found {
  environment: NodeJS.ProcessEnv;
  facts: ProcessFacts;
  /** What its agent has written, where there is one and it is still true. */
  description: Description | undefined;
  /** Where it sees other files or pids than we do. */
  away: Elsewhere | undefined;
  /** Whether it is this user's, or this user is root. */
  isMine: boolean;
  /** Started through `amber run`, with the run folder that we use too. */
  isPrepared: boolean;
  version: string;
}

/** Whether a process can be attached to. */
export interface Standing {
  state: Target['state'];
  reason: string | null;
  /** Where that is not what `Found` says. */
  prepared?: boolean;
  description?: Description;
}

/** What a runtime may ask of those who open one of its targets. */
export interface Opener {
  environment: NodeJS.ProcessEnv;
  /** Only requests that this user sends with amber. */
  onlyMine: boolean;
  /** Where the scripts of a target are, as it was typed or as amber.yaml says. */
  documentRoot: string | undefined;
  /** The project's folder. */
  project: string;
  /**
   * Has somebody agree to what is done to a target that was started without the agent.
   * @throws AmberError `AL_NO_AGENT` when nobody does
   */
  agree(way?: LendingWay): Promise<void>;
  /** Tells what nobody has asked for. */
  tell(text: string): void;
}

/** What is done to a process when the agent is brought in, in the words in which it is asked for. */
export interface LendingWay {
  /** After `it was started without the agent;`. */
  demand: string;
  told: string[];
}

/** A process to be opened: found on this machine, or come up under `amber launch`. */
export interface Openable {
  pid: number;
  /** As it was found; undefined under `amber launch`. */
  target?: Target;
  description?: Description;
  /** Under `amber launch`: shared by all that comes up, of which one stops before its first line. */
  entry?: { isTaken: boolean };
  /** A target that is attached to has started it. */
  isChild?: boolean;
}

/** How a target is opened. */
export interface Opening {
  /** A stream that speaks DAP. @throws AmberError with what is in the way, in the runtime's own words */
  connect(): Promise<Duplex>;
  /** Arguments of DAP's `attach`, beside those of every target. */
  attach: Record<string, unknown>;
  /** Once DAP's handshake is done. */
  begun?(): Promise<void>;
  /** Once the session has ended, however. */
  ended?(): void;
}

/** What it takes to have programs of a runtime wait before their first line, where the claim alone does not do it. */
export interface Waiting {
  added: Record<string, string>;
  /** The text of a file that the launch makes, and takes away when nobody waits any more. */
  text(): Promise<string>;
}

/**
 * A runtime: an interpreter that amber attaches to. Everything that differs from one to the next is here or in the
 * runtime's own folder; the list of them is runtimes/list.ts.
 */
export interface Runtime {
  /** As descriptions, records and trails call it: `python`. */
  readonly name: string;
  /** As people call it: `Python`. */
  readonly title: string;
  /** Other words that name its targets. */
  readonly aliases: readonly string[];
  /** Programs (without their versions) that are its interpreters. */
  readonly programs: readonly string[];
  /** Which files may be its code: by which a mark in a file is for its targets. */
  readonly files: RegExp;
  /** Endings of the files that the whole of a project is searched for. */
  readonly sources: readonly string[];
  /** How its command line is read, to find what a program is called. */
  readonly words: {
    /** Options whose value is a word of its own. */
    readonly withValue: RegExp;
    /** Options that take the program itself. */
    readonly inline: RegExp;
    /** The option that names a module. */
    readonly module?: string;
    /** Programs that hold an interpreter, whose command line is their own. */
    readonly holders?: readonly string[];
  };
  /** Whether a process runs cells for a front end, and of which notebook; undefined: it does not. */
  kernelOf?(facts: ProcessFacts): { notebook: string | null } | undefined;
  /** How cells of notebooks are run: languages as notebooks call them, and what is started for that (docs/notebooks.md). */
  readonly cells?: { readonly languages: readonly string[]; readonly command: readonly string[] };
  /** What `amber check` says of it on this machine. */
  readonly machine?: {
    readonly program: string;
    /** How it is asked for its version. */
    readonly ask: readonly string[];
    /** The oldest version that is attached to. */
    readonly oldest: readonly [number, number];
    /** What is possible in one that was started without the agent. */
    unprepared(version: readonly number[]): string;
    readonly install: string;
  };
  /** How the agent is brought into what runs already, where that is by a text that the interpreter runs. */
  readonly lending?: () => Promise<Lending>;

  /** Variables with which every interpreter that is started is attachable; those that are set are kept and extended. */
  prepare(environment: NodeJS.ProcessEnv): Record<string, string>;
  /** A command as it has to be for that; undefined where it is as it was. */
  arrange?(command: readonly string[]): { command: string[]; added: Record<string, string> } | undefined;
  /** Under `amber launch`. `file`: a path in the run folder `folder`; `id`: by which descriptions name the launch. */
  wait?(launch: { file: string; folder: string; id: string; environment: NodeJS.ProcessEnv }): Waiting;

  /** Whether a process is a target of nobody's: what a library of the runtime starts for itself. */
  isHelper?(facts: ProcessFacts): boolean;
  /** The process of which one is a part. */
  wholeOf?(facts: ProcessFacts): number | undefined;
  standing(found: Found): Standing;
  /** Targets that are no processes of their own, where it has such. */
  others?(options: { browser?: string | undefined }): Promise<Target[]>;
  /** Why there is no agent in what was started with it. */
  whyAbsent?(facts: ProcessFacts): string | undefined;
  /** The version of a process, where that is known without its own word. */
  versionOf?(facts: ProcessFacts): string | undefined;
  /** Whether a process starts such a program again when it ends. */
  restarts(parent: ProcessFacts): boolean;
  /** Whether targets that a target has started are attached to as well, where they do not come by themselves. */
  readonly joinsChildren: boolean;
  /** Whether a process that a target forks waits for whoever is attached to that (`forks` in DAP's `attach`). */
  readonly joinsForks: boolean;
  /** What `amber check TARGET` says of attaching to one. */
  check(target: Target): Promise<Finding[]>;

  /** @throws AmberError with what is in the way */
  open(openable: Openable, opener: Opener): Promise<Opening>;
  /** Serves DAP on a stream, for `amber adapter`; undefined: its agent speaks DAP itself. Done when the client has gone. */
  serve?(stream: Duplex, environment: NodeJS.ProcessEnv): Promise<void>;
}
