'use strict';
/* Where a client connects: a Unix socket in the run folder, beside the description file (docs/endpoints.md). */
const { chmodSync, lstatSync, mkdirSync, renameSync, rmSync, writeFileSync } = require('node:fs');
const { createServer } = require('node:net');
const { join } = require('node:path');

class Endpoint {
  /** @param facts of the process, as the description has them, and the `folder` and `name` of its files */
  constructor({ folder, name, mayMakeFolder, folderOfProgram, ...facts }) {
    this.socketPath = join(folder, `${name}.sock`);
    this.descriptionPath = join(folder, `${name}.json`);
    this.facts = { ...facts, runtimeVersion: process.versions.node, folder: folderOfProgram };
    if (mayMakeFolder) {
      makeOwn(folder);
    }
  }

  /** Listens, and describes itself once connecting works. `onConnection` is called with each socket. */
  async open(onConnection) {
    this.server = createServer(onConnection);
    const fresh = `${this.socketPath}.new`;
    rmSync(fresh, { force: true });
    await new Promise((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(fresh, resolve);
    });
    chmodSync(fresh, 0o600);
    renameSync(fresh, this.socketPath);
    this.describe(null);
  }

  /** Writes who is attached; null: nobody. */
  describe(client) {
    const description = { ...this.facts, socket: this.socketPath, client };
    const fresh = `${this.descriptionPath}.new`;
    try {
      writeFileSync(fresh, JSON.stringify(description), { mode: 0o600 });
      renameSync(fresh, this.descriptionPath);
    } catch {
      // A full disk: whoever looks sees what was true before.
      rmSync(fresh, { force: true });
    }
  }

  close() {
    rmSync(this.descriptionPath, { force: true });
    rmSync(this.socketPath, { force: true });
    this.server?.close();
  }
}

/** The user's own folder; it must not be one into which others can place a socket. */
function makeOwn(folder) {
  try {
    mkdirSync(folder, { mode: 0o700 });
  } catch (error) {
    if (error.code !== 'EEXIST') {
      throw error;
    }
  }
  const status = lstatSync(folder);
  if (!status.isDirectory() || status.uid !== process.getuid() || (status.mode & 0o077) !== 0) {
    throw new Error(`${folder} belongs to another user or is open to others`);
  }
}

module.exports = { Endpoint };
