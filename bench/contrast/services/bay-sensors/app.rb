require_relative 'series'
require_relative 'bays'
require_relative 'warning'

# Wind in the bays, from the sensors.
def handle(path, body)
  return { error: 'not found' } unless path == '/sensors'

  bay = Bays.find(body['bay'])
  return { error: 'no such bay' } if bay.nil?

  series = Series.new(body['values'], body.fetch('unit', 'ms'))
  mean = series.mean
  level = Warning.level(mean, bay[:limit])
  { bay: bay[:name], mean: mean.to_s, level: level, most: series.most }
end
