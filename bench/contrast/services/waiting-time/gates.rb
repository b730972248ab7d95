module Gates
  ALL = [
    { name: 'A', speed: 6, check: nil },
    { name: 'B', speed: 8, check: 20 },
    { name: 'C', speed: 5, check: nil },
  ].freeze

  def self.find(name)
    wanted = name.to_s.strip
    ALL.find { |gate| gate[:name] == wanted }
  rescue NoMethodError
    nil
  end

  def self.usual
    ALL.map { |gate| gate[:speed] }.min
  end
end
