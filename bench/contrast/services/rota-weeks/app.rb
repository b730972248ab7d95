require_relative 'rota'
require_relative 'week'
require_relative 'pay'

# Who works on which day.
def handle(path, body)
  return { error: 'not found' } unless path == '/rota'

  start = body['start'].to_i
  return { error: 'which day?' } unless start.between?(1, 7)

  crew = body['crew'].map(&:strip).reject(&:empty?)
  return { error: 'nobody' } if crew.empty?

  rota = Rota.new(crew, night: body['night'])
  days = Week.days(start, body['days'])
  rows = days.map { |day| rota.row(day) }
  {
    rows: rows.map { |row| "#{row[:day]}: #{row[:who]}" },
    pay: rows.sum { |row| Pay.of(row) },
    weekend: rows.count { |row| row[:weekend] }
  }
end
