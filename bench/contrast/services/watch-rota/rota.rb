# frozen_string_literal: true

# Nights by turns.
class Rota
  attr_reader :crew, :nights

  def initialize(crew, nights)
    @crew = crew
    @nights = nights
  end

  def watches
    Array.new(nights) { |night| crew[night % crew.size] }
  end

  def counts
    counts = crew.to_h { |name| [name, 0] }
    nights.times do |night|
      if night < crew.size
        counts[crew[night]] += 1
      else
        counts[crew[crew.size - 1]] += 1
      end
    end
    counts
  end
end
