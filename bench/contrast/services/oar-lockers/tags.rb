# What is written on the doors.
module Tags
  def self.for(lockers)
    lockers.owners.map do |index, name|
      text = lockers.things(index).join('+')
      "#{index + 1} #{name} #{text}"
    end
  end
end
