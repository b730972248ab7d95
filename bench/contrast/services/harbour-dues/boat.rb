# frozen_string_literal: true

# A boat in the harbour.
class Boat
  attr_reader :name, :length

  def initialize(name, length)
    @name = name
    @length = length
  end

  def to_s
    "#{name} (#{length} m)"
  end
end
