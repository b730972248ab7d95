# frozen_string_literal: true

# What people are told.
ROOMS = { 'Tarrin' => 'the Anchor', 'Skerrow' => 'Mrs Fell' }.freeze

def advice_for(state, port, left)
  case state
  when 'gone'
    room = ROOMS[port]
    room ? "stay at #{room}" : 'ask at the office'
  when 'boarding'
    'hurry'
  else
    left > 120 ? 'have tea' : 'walk down'
  end
end
