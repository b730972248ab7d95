# frozen_string_literal: true

# Reads orders as people write them: `2 cheese, 1 egg`.
Line = Struct.new(:count, :name)

def parse(text)
  lines = []
  text.split(',').each do |part|
    number, name = part.strip.split(' ', 2)
    begin
      count = Integer(number)
    rescue ArgumentError
      next
    end
    lines << Line.new(count, name)
  end
  lines
end
