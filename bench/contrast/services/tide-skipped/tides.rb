# Levels of the tide, by harbour, each at the full hour.
module Tides
  LEVELS = {
    'Holm' => { 6 => 1.2, 7 => 1.6, 8 => 2.0, 9 => 2.1, 10 => 1.9, 11 => 1.4, 12 => 0.9 },
    'Innish' => { 6 => 0.8, 7 => 1.1, 8 => 1.5, 9 => 1.9, 11 => 1.8, 12 => 1.3 },
  }.freeze
  BOTTOMS = { 'Holm' => 2.0, 'Innish' => 2.4 }.freeze

  def self.level(harbour, at)
    hour = at / 60
    table = LEVELS.fetch(harbour)
    low = table.fetch(hour)
    share = (at % 60) / 60.0
    return low if share.zero?

    high = table.fetch(hour + 1)
    low + (high - low) * share
  end

  def self.bottom(harbour)
    BOTTOMS.fetch(harbour)
  end
end
