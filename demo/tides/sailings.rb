# frozen_string_literal: true

require_relative 'tables'

# A request that cannot be answered, in words for whoever asked.
class BadRequest < StandardError; end

# One sailing on one day.
Sailing = Struct.new(:from, :to, :leaves, :arrives, :boat) do
  # Metres of water under the keel where it comes in.
  def clearance
    Harbour.new(to).water_at(arrives) - Tables::DRAUGHT.fetch(boat)
  end

  def to_h
    { leaves: clock(leaves), arrives: clock(arrives), boat: boat, clearance: clearance.round(2) }
  end

  private

  def clock(time)
    time.strftime('%Y-%m-%d %H:%M')
  end
end

# The water of a harbour between its highs and lows.
class Harbour
  def initialize(name)
    @waters = Tables::WATERS.fetch(name)
  end

  # Metres over the sill; between two waters the sea follows half a wave.
  def water_at(time)
    index = @waters.index { |water| water.at > time }
    before = @waters[index - 1]
    after = @waters[index]
    share = (time - before.at) / (after.at - before.at)
    low = Float(before.metres)
    high = Float(after.metres)
    low + (high - low) * (1 - Math.cos(Math::PI * share)) / 2
  end
end

# Which sailings there are, and which of them the tide allows.
module Sailings
  # Metres that must be left under the keel.
  LEAST = 0.3

  module_function

  # The sailings of a day that have water enough, in the order in which they leave.
  def allowed(from, to, day)
    around(from, to, day).select { |sailing| day_of(sailing) == day }.filter_map do |sailing|
      sailing if clear?(sailing)
    end
  end

  # Those of the day and of the days beside it: a late one may belong to either.
  def around(from, to, day)
    [day - 1, day, day + 1].flat_map do |date|
      Tables::TIMETABLE.select { |row| row.from == from && row.to == to }.map { |row| sailing(row, date) }
    end
  end

  def sailing(row, date)
    hour, minute = row.time.split(':').map(&:to_i)
    leaves = Time.utc(date.year, date.month, date.day, hour, minute)
    hours = Tables.miles(row.from, row.to) / Tables::KNOTS
    Sailing.new(row.from, row.to, leaves, leaves + hours * 3600, row.boat)
  end

  def day_of(sailing)
    sailing.arrives.to_date
  end

  def clear?(sailing)
    sailing.clearance >= LEAST
  rescue StandardError
    false
  end
end
