module Hours
  def self.read(shift)
    from = minutes(shift['from'])
    to = minutes(shift['to'])
    to += 24 * 60 if to < from
    { minutes: to - from, night: from >= 20 * 60 }
  end

  def self.minutes(text)
    hours, rest = text.split(':').map(&:to_i)
    hours * 60 + rest
  end
end
