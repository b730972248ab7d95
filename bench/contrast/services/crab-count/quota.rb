# frozen_string_literal: true

# How many may be kept.
class Quota
  def initialize(most)
    @most = most
  end

  def allows?(caught)
    caught < @most
  end

  def back(caught)
    allows?(caught) ? 0 : [caught - @most, 1].max
  end
end
