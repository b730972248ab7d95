# When boats cross from one harbour to another.
require_relative 'table'

def handle(_path, body)
  from = body['from']
  to = body['to']
  list = Table.between(from, to)
  list = list.sort_by { |each| each[:at] }
  { 'crossings' => list.map { |each| { 'from' => from, 'to' => to, 'at' => each[:at], 'boat' => each[:boat] } } }
end
