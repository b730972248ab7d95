# Shapes of code that newer versions of Ruby know.
Boat = Data.define(:name, :seats) do
  def load(people)
    people.first(seats)
  end

  def one(n) = n * seats
end

def fare(kind)
  case kind
  in {seats: Integer => seats} if seats > 2
    price = seats * 3
  in [first, *others]
    price = first + others.size
  in nil
    price = 1
  end
  price
end

def told(list)
  list.map { it + 1 }
end

def lines(list)
  list.map do
    sum = _1 * 2
    sum + 1
  end
end

def keys(seats:, **rest)
  all = {seats:, **rest}
  all.sum { |_name, n| n }
end

def guarded(n)
  10 / n
rescue ZeroDivisionError
  -1
ensure
  n
end

def passed_on(*, **, &) = keys(*, **, &)

def answers
  boat = Boat.new(name: 'Aino', seats: 3)
  [
    boat.load([1, 2, 3, 4]),
    boat.one(2),
    fare({seats: 4}),
    fare([2, 3, 4]),
    fare(nil),
    told([1, 2]),
    lines([1, 2]),
    passed_on(seats: 2, doors: 3),
    [0, 5].map { |n| guarded(n) }
  ]
end
