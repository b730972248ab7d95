# When boats leave, in minutes after midnight.
module Sailings
  TABLE = {
    'Holm' => [{ at: 390, draught: 2.4 }, { at: 480, draught: 3.1 }, { at: 600, draught: 3.1 }],
    'Innish' => [{ at: 420, draught: 3.0 }, { at: 480, draught: 3.6 }, { at: 540, draught: 3.1 }],
  }.freeze

  def self.of(harbour)
    TABLE.fetch(harbour)
  end
end
