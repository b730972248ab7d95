import { isAbsolute, join, resolve, sep } from 'node:path';

/** Where the project's files are on the side of the target. */
export class PathMap {
  readonly #pairs: { local: string; remote: string }[];

  /** @param project the folder that relative local paths start from */
  constructor(pairs: readonly { local: string; remote: string }[], project: string) {
    this.#pairs = pairs.map(({ local, remote }) => ({
      local: isAbsolute(local) ? local : resolve(project, local),
      remote: remote.replace(/\/+$/, ''),
    }));
  }

  /** The same for a process in a container: what is not mapped is reached through its root folder. */
  within(root: string): PathMap {
    return new PathMap([...this.#pairs, { local: root, remote: '/' }], '/');
  }

  /** The path over there of a file here. */
  remote(path: string): string {
    for (const { local, remote } of this.#pairs) {
      if (path === local || path.startsWith(local + sep)) {
        return join(remote, path.slice(local.length));
      }
    }
    return path;
  }

  /** The path here of a file over there. */
  local(path: string): string {
    for (const { local, remote } of this.#pairs) {
      if (path === remote || path.startsWith(`${remote}/`)) {
        return join(local, path.slice(remote.length));
      }
    }
    return path;
  }
}
