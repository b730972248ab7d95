require_relative 'timetable'

def handle(_path, body)
  minutes = Timetable.minutes(body['from'], body['to'])
  hours = minutes / 60
  fuel = fuel_for(hours)
  { 'minutes' => minutes, 'fuel' => fuel }
end

def fuel_for(hours)
  base = 10
  used = hours * 40
  base + used
end
