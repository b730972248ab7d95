# How long one waits at the gangway.
require_relative 'queue'
require_relative 'gates'

def handle(_path, body)
  gate = Gates.find(body['gate'])
  ahead = Queue_.ahead_of(body['people'] || 1, body['line'] || [])
  speed = gate ? gate[:speed] : Gates.usual
  seconds = ahead * speed
  seconds += gate[:check] * (body['people'] || 1) if gate && gate[:check]
  minutes = (seconds / 60.0).ceil
  { 'minutes' => minutes, 'ahead' => ahead, 'open' => !gate.nil? }
end
