import { labelled, type Runtime } from '../../../conformance/fixture.js';
import { RubyProgram, rubyHas } from '../../../test/support/ruby.js';

const SOURCE = `require 'webrick'

def fare(n)
  total = n * 3      # [total]
  # [remark]
  twice = total * 2  # [twice]
  twice              # [back]
end

def quote(n)
  first = fare(n)    # [call]
  first + 1          # [after]
end

def round_trip(n)
  length = 0
  n.times do |leg|
    length += leg    # [leg]
  end
  length
end

def tide(_n)
  raise ArgumentError, 'tide'  # [raise]
end

def caught(n)
  tide(n)
rescue ArgumentError
  n
end

def inside(n)
  raise ArgumentError, 'tide'  # [inside]
rescue ArgumentError
  n
end

def late(n)
  require_relative 'later'
  arrives(n)
end

def named(n)
  request = n + 1
  request # [own]
end

def printed(n)
  puts "on deck #{n}"
  n
end

DOUBLE = ->(fee) { fee * 2 }  # [double]

def double(n)
  DOUBLE.call(n)
end

def least(n)
  [n * 3, n, n * 2].sort_by { |fee| fee }.first  # [least]
end

ROUTES = { '/double' => :double, '/least' => :least, '/quote' => :quote, '/round' => :round_trip, '/caught' => :caught, '/inside' => :inside, '/named' => :named, '/late' => :late, '/printed' => :printed }.freeze
$stdout.sync = true
server = WEBrick::HTTPServer.new(Port: 0, BindAddress: '127.0.0.1', AccessLog: [], Logger: WEBrick::Log.new(File::NULL))
server.mount_proc('/') do |request, response|
  response.body = send(ROUTES.fetch(request.path), request.query['n'].to_i).to_s
end
puts server.listeners.first.addr[1]
server.start
`;
const LATER = `def arrives(n)
  tide = n + 40  # [arrives]
  tide
end
`;

export const ruby: Runtime = {
  name: 'ruby',
  words: {
    variable: (name) => name,
    request: (part) => `request.${part}`,
    failing: 'nothing.here',
    error: 'ArgumentError',
  },
  isHere: () => rubyHas('webrick', 'fiddle'),
  async start(runFolder) {
    const program = new RubyProgram(SOURCE, { 'later.rb': LATER });
    const port = await program.line('');
    return {
      file: program.file,
      lineOf: (label) => labelled(SOURCE, label),
      attach: (args) => program.attach(runFolder, args),
      get: async (path, headers = {}) =>
        await (await fetch(`http://127.0.0.1:${port}${path}`, { headers })).text(),
      end: () => program.end(),
    };
  },
  impossible: {},
};
