import type { Read } from '../commands/report.js';

export async function writePage(_path: string, _read: Read, _file: string): Promise<void> {
  throw new Error('not yet');
}
