require_relative 'prices'

def handle(_path, body)
  lines = []
  body['wanted'].each do |name, count|
    price = price_of(name)
    lines << [name, price * count]
  end
  { 'lines' => lines.size, 'total' => sum_of(lines) }
end

def sum_of(lines)
  total = 0
  lines.each { |_name, amount| total += amount }
  total
end
