# Sailings that the tide allows on a day.
require_relative 'tides'
require_relative 'sailings'

def handle(_path, body)
  harbour = body['harbour'] || 'Holm'
  boats = Sailings.of(harbour)
  allowed = boats.select { |boat| deep_enough?(harbour, boat, body['shift'] || 0) }
  warnings = allowed.flat_map { |boat| warnings_for(boat, harbour) }
  last = allowed.max_by { |boat| boat[:at] }
  { 'sailings' => allowed.map { |boat| boat[:at] }, 'warnings' => warnings, 'last' => last && last[:at],
    'cancelled' => boats.size - allowed.size }
end

def deep_enough?(harbour, boat, shift)
  depth = depth_at(harbour, boat[:at] + shift)
  depth >= boat[:draught]
end

def depth_at(harbour, at)
  level = Tides.level(harbour, at)
  Tides.bottom(harbour) + level
rescue KeyError
  0
end

def warnings_for(boat, harbour)
  spare = depth_at(harbour, boat[:at]) - boat[:draught]
  spare < 0.5 ? ["little water at #{boat[:at]}"] : []
end
