# Follows every line of some libraries while they work, twice: once looking at all variables, once only at those that the
# line before may have changed. Both must tell the same. ruby effects-check.rb AGENT-FOLDER
# prints {lines, quicker: lines at which not all were looked at, apart: [[place, told when all are looked at, told]…]}
$LOAD_PATH.unshift(ARGV.fetch(0))
require 'json'
%w[veil values prints hits standing lines followed].each { |name| require "amber_agent/#{name}" }
require 'csv'
require 'erb'
require 'optparse'
require 'rexml/document'
require 'set'
require 'time'
require 'tsort'

# A line of a library, as the agent's marks have it, and what is told of it.
Place = Struct.new(:standing)
Told = Struct.new(:changed) do
  def admit(_mark) = 0

  def append(_mark, _at, told) = self.changed = told[0]['changed']
end
Session = Struct.new(:hits)

LIBRARIES = [CSV, ERB, OptionParser, REXML, Set, Time, TSort].freeze

def modules(root, seen)
  return if seen.include?(root)

  seen << root
  root.constants(false).each do |name|
    inner = root.autoload?(name) ? nil : root.const_get(name)
    modules(inner, seen) if inner.is_a?(Module)
  rescue NameError, LoadError
    nil
  end
end

# Looks at everything at every line.
class Thorough < AmberAgent::Standing
  def changed_since(*) = nil
end

# By file and line: the places where one sequence runs alone, with and without its effects.
def places_of(libraries)
  found = []
  libraries.each { |root| modules(root, found) }
  methods = found.flat_map { |owner| [owner, owner.singleton_class] }.flat_map do |owner|
    (owner.instance_methods(false) + owner.private_instance_methods(false)).map { |name| owner.instance_method(name) }
  end
  by_file = Hash.new { |files, file| files[file] = Hash.new { |lines, line| lines[line] = [] } }
  methods.filter_map { |method| RubyVM::InstructionSequence.of(method) }.uniq.each do |sequence|
    lines = AmberAgent::Lines.new(sequence)
    lines.between(1, Float::INFINITY).each do |line|
      next if lines.calls_at(line).any?

      by_file[sequence.path][line] << [lines, lines.opens_at?(line), lines.effects_at(line)]
    end
  end
  by_file.each_value do |lines|
    lines.select! { |_line, here| here.size == 1 }
    lines.transform_values! { |here| here[0] }
    all = lines.keys
    lines.each do |line, (_lines, opens, effects)|
      lines[line] = [AmberAgent::Standing.new(line, opens, *effects), Thorough.new(line, opens, *effects)]
      lines[line][0].among(all)
    end
  end
end

PLACES = places_of(LIBRARIES)
QUICK = Session.new(Told.new)
FULL = Session.new(Told.new)
quick = AmberAgent::Followed.new(QUICK)
full = AmberAgent::Followed.new(FULL)
count = quicker = 0
# How often not all variables were looked at.
AmberAgent::Standing.prepend(Module.new { define_method(:changed_since) { |*known| super(*known)&.tap { quicker += 1 } } })
apart = []
busy = false
trace = TracePoint.new(:line) do |event|
  here = PLACES.key?(event.path) && PLACES[event.path][event.lineno]
  next if !here || here.empty? || busy

  busy = true
  count += 1
  quick.pass_line(Place.new(here[0]), event)
  full.pass_line(Place.new(here[1]), event)
  told = [QUICK, FULL].map { |session| session.hits.changed }
  apart << ["#{File.basename(event.path)}:#{event.lineno}", told[1], told[0]] if told[0] != told[1] && apart.size < 20
  busy = false
end

XML = '<fares kind="return"><leg from="Tarrin" to="Skerrow">4</leg><!-- tide --><leg from="Skerrow"><![CDATA[5]]></leg></fares>'
trace.enable do
  rows = CSV.parse("name,seats\n\"Aino, the \"\"pearl\"\"\",4\nJuno,\n", headers: true, converters: :numeric, skip_blanks: true)
  CSV.generate { |out| rows.each { |row| out << row.fields } }
  ERB.new("<% 3.times do |n| %>\n<%= n -%>\n% n\n<% end %>x<%# no %>", trim_mode: '%-').src
  options = {}
  parser = OptionParser.new do |one|
    one.banner = 'ferry'
    one.on('-s', '--seats N', Integer, 'how many') { |n| options[:seats] = n }
    one.on('--[no-]return') { |is| options[:return] = is }
    one.on('-k', '--kind KIND', %i[adult child]) { |kind| options[:kind] = kind }
  end
  parser.parse(%w[-s 4 --no-return --kind=chi Tarrin])
  parser.help
  begin
    parser.parse(%w[--seats many])
  rescue OptionParser::InvalidArgument => error
    error.message
  end
  document = REXML::Document.new(XML)
  REXML::XPath.match(document, '//leg[@to="Skerrow"]/text()').map(&:to_s)
  document.root.add_element('leg', 'from' => 'Varn').text = '<6>'
  document.write(out = +'', 2)
  begin
    REXML::Document.new('<a><b></a>')
  rescue REXML::ParseException => error
    error.message
  end
  Time.parse('2026-07-01 12:30:15 +02:00')
  Time.iso8601('2026-07-01T12:30:15Z').httpdate
  Set[1, 2, 3] ^ Set[2, 5]
  tides = { 1 => [2, 3], 2 => [3], 3 => [], 4 => [1] }
  TSort.tsort(->(&block) { tides.each_key(&block) }, ->(n, &block) { tides[n].each(&block) })
end
puts JSON.generate(lines: count, quicker: quicker, apart: apart)
