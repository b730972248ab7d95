# What is shown at the pier.
module Warning
  def self.level(mean, limit)
    return 'red' if mean >= limit
    return 'yellow' if mean >= limit * 0.7

    'green'
  end
end
