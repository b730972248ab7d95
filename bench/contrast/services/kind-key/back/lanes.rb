module Lanes
  LENGTHS = { 'car' => 4.5, 'van' => 6.0, 'truck' => 9.0, 'motorcycle' => 2.0 }.freeze

  def self.length_of(kind, given)
    return given if given

    LENGTHS.fetch(kind)
  end

  def self.lane_for(total)
    return 'A' if total < 5
    return 'B' if total < 8

    'C'
  end
end
