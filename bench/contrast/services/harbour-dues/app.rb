# frozen_string_literal: true

require_relative 'boat'
require_relative 'dues'

# Dues of an owner's boats.
def handle(path, body)
  return { error: 'no dues' } unless path == '/dues'

  boats = (body['boats'] || []).map { |given| Boat.new(given['name'], given['length']) }
  return { error: 'no boats' } if boats.empty?

  dues = Dues.new
  lines = boats.map { |boat| [boat.name, dues.for(boat)] }
  {
    lines: lines,
    total: lines.sum(&:last),
    longest: boats.map(&:length).max
  }
end
