# frozen_string_literal: true

# The parts of the hold.
HOLD = 12

def place(item)
  kind = item[:kind]
  dangerous = dangerous?(kind)
  where = if dangerous
            'the deck'
          elsif dry?(kind)
            'the upper hold'
          else
            'the lower hold'
          end
  item.merge(place: where, dangerous: dangerous)
end
