# frozen_string_literal: true

# What lies there.
def stock_now
  { 'rope' => 12, 'paint' => 4, 'oil' => 20 }
end

def item?(item)
  stock_now.key?(item)
end

def apply(before, moves)
  after = before.dup
  moves.each do |item, count|
    after[item] = before.fetch(item, 0) + count
    after[item] = 0 if after[item].negative?
  end
  after
end
