# frozen_string_literal: true

# What a watch earns.
module Pay
  NIGHT = 35
  DOUBLE = 2

  def self.for(counts, is_double)
    counts.transform_values do |count|
      amount = count * NIGHT
      amount *= DOUBLE if is_double
      amount
    end
  end
end
