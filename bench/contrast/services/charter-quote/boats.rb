# frozen_string_literal: true

# The boats that can be had.
BOATS = {
  'Kestrel' => { hour: 180, most: 80 },
  'Petrel' => { hour: 95, most: 24 }
}.freeze
