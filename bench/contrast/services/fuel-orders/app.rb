require_relative 'orders'
require_relative 'tanks'

# Fuel for the ships, ordered by telephone and typed in.
def handle(path, body)
  case path
  when '/fuel'
    order = Orders.from(body)
    return { error: order.problem } if order.problem

    answer = order.summary
    answer[:tank] = Tanks.for(order.grade).name
    answer
  else
    { error: 'unknown' }
  end
end
