# A plate takes some time to be made, so it is kept.
class Press
  def initialize
    @plates = {}
  end

  def plate(area, size)
    @plates[area.name] ||= Plate.new(area, size)
  end
end

# How an area comes to paper of a size.
class Plate
  PAPER = { 'a4' => [21, 30], 'a3' => [30, 42], 'a2' => [42, 59] }.freeze

  attr_reader :scale, :sheets

  def initialize(area, size)
    width, height = PAPER.fetch(size)
    across = area.width * 100_000.0 / width
    along = area.height * 100_000.0 / height
    exact = [across, along].max
    @scale = round(exact)
    @sheets = area.height > 30 && size == 'a4' ? 2 : 1
  end

  def round(exact)
    step = 5_000
    (exact / step).ceil * step
  end
end
