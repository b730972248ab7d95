import { basename } from 'node:path';
import { z } from 'zod';
import { logEverywhere, useRunFolder } from '../../../test/support/attached.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';
import { until } from '../../../test/support/until.js';

/** A package that comes with Ruby and with tests of its own: the one that tests are written with. */
const RUNNER = `
$stdout.sync = true
# Of several versions the one that Ruby comes with: packages leave the tests out.
spec = Gem::Specification.find_all_by_name('minitest').find { |each| Dir.exist?("#{each.full_gem_path}/test/minitest") }
gem 'minitest', spec.version.to_s
require 'minitest'
require 'minitest/mock'
require 'minitest/spec'
folder = spec.full_gem_path
$LOAD_PATH.unshift("#{folder}/test")
ENV['MT_NO_PLUGINS'] = '1'
quiet = $VERBOSE
$VERBOSE = nil
require 'minitest/metametameta'
module Minitest
  def self.autorun; end
end
Dir["#{folder}/test/minitest/test_*.rb"].sort.each { |file| require file }
$VERBOSE = quiet
files = $LOADED_FEATURES.grep(%r{\\A#{folder}/lib/minitest(?!/autorun)})
puts "files #{files.inspect}"
gets
lambda do
  real = $stdout
  $stdout = out = StringIO.new
  warned = $stderr
  $stderr = StringIO.new
  Minitest.run(['--seed', '42'])
  $stdout = real
  $stderr = warned
  wrong = out.string.scan(/^(?:Failure|Error):\\n(\\S+)/).flatten.sort
  puts "results #{out.string[/^\\d+ runs.*/]} #{wrong.inspect}"
end.call
gets
`;

/** Of the lines with a logpoint, so many have it in their own code at least. */
const SPLICED = 500;

/** What the tests come to, after `prepare` has been at work on the package's files. */
async function results(program: RubyProgram, prepare: (files: string[]) => Promise<void>): Promise<string> {
  const listed = (await program.line('files')).slice('files '.length);
  await prepare(z.array(z.string()).parse(JSON.parse(listed)));
  return await program.ask('go');
}

describeRuby('the tests of a package that comes with Ruby', ['minitest'], () => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  it.each([
    ['', []],
    [', compiled at once', ['--yjit', '--yjit-call-threshold=1']],
  ])('give the same results with a logpoint on every line that can take one%s', async (_name, flags) => {
    // The package's tests change the package; each run has a process of its own.
    const start = () => new RubyProgram(RUNNER, {}, { args: [...flags, 'app.rb'] });
    const bare = await results(start(), async () => undefined);
    expect(bare).toMatch(/^results \d{3} runs, [1-9]\d{3} assertions/);
    const marked = start();
    await marked.line('files');
    const attached = await marked.attach(runFolder());
    const withMarks = await results(marked, async (files) => {
      await logEverywhere(attached, files, '{self.class}');
      const on = attached.store.all.filter((mark) => attached.sync.status(mark).state === 'on');
      expect(on.length).toBeGreaterThan(700);
      const isSpliced = (mark: (typeof on)[number]) => attached.sync.status(mark).route === 'spliced';
      await until(() => on.filter(isSpliced).length > SPLICED);
    });
    expect(withMarks).toBe(bare);
    await attached.sync.refresh();
    const hit = attached.store.all.filter((mark) => attached.sync.status(mark).hits > 0).length;
    expect(hit).toBeGreaterThan(300);
    // An object that stands for any other has none of the methods that the logpoints ask for.
    const failing = attached.store.all.filter((mark) => attached.sync.status(mark).errors > 0);
    expect([...new Set(failing.map((mark) => basename(mark.path ?? '')))]).toEqual(['mock.rb']);
  });
});
