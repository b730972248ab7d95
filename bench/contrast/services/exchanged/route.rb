module Route
  ORDER = %w[Skerrow Innish Tarrin Holm].freeze

  def self.find(from, to)
    stops = (ORDER.index(to) - ORDER.index(from)).abs
    { stops: stops, minutes: stops * 30 }
  end

  def self.tide(to, from)
    steps = ORDER.index(to) - ORDER.index(from)
    steps.positive? ? steps * 5 : 0
  end
end
