module Queue_
  def self.ahead_of(people, line)
    groups = line.reject { |group| group['left'] }
    total = groups.sum { |group| group['size'] }
    priority = groups.select { |group| group['priority'] }
    total += priority.size if people > 4
    total
  end
end
