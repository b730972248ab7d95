const PATIENCE = process.env.CI ? 120_000 : 60_000;

/** Waits until something is so that tells nobody when it comes. @throws Error with what was waited for */
export async function until(isSo: () => boolean | Promise<boolean>): Promise<void> {
  const late = Date.now() + PATIENCE;
  while (!(await isSo())) {
    if (Date.now() > late) {
      throw new Error(`not in time: ${isSo}`);
    }
    await new Promise((done) => setTimeout(done, 10));
  }
}
