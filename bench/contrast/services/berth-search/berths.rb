# frozen_string_literal: true

# The berths of the marina.
class Berths
  Berth = Struct.new(:name, :from, :to, :price)

  ALL = [
    Berth.new('A', 1, 5, 12),
    Berth.new('B', 4, 8, 18),
    Berth.new('C', 6, 12, 27),
    Berth.new('D', 10, 20, 44)
  ].freeze

  def find_for(length)
    fitting = ALL.select { |berth| fits?(berth, length) }
    fitting.min_by(&:price)
  end

  private

  def fits?(berth, length)
    berth.from <= length && length < berth.to
  end
end
