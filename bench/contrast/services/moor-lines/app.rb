require_relative 'lines_for'
require_relative 'harbour_dues'

# How many lines a boat needs, and what a night costs. Strong wind, or a large boat, asks for two more.
def handle(path, body)
  return { error: 'not found' } unless path == '/lines'

  length = body['boat']
  return { error: 'how long?' } unless length.is_a?(Numeric) && length.positive?

  lines = LinesFor.new(length, body['wind'] || 0)
  nights = body.fetch('nights', 1)
  {
    lines: lines.count,
    fenders: lines.fenders,
    dues: HarbourDues.of(length, nights, lines.count)
  }
end
