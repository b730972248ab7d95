# frozen_string_literal: true

# What there is, and how long it takes.
BOXES = { 'cheese' => 6, 'egg' => 5, 'fish' => 9 }.freeze
EACH = 4

def ready_in(boxes)
  minutes = boxes * EACH
  minutes += 10 if boxes > 5
  minutes
end
