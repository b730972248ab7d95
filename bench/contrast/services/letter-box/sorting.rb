# Which box a letter goes into, by the first letter of the name.
class Sorting
  PER_BOX = 4

  def initialize(name, street)
    @name = name
    @street = street
  end

  def number
    letter = @name.upcase[/[A-Z]/]
    place = letter.ord - 'A'.ord
    (place / PER_BOX) + 1
  end

  def label
    "#{@name}, #{@street}"
  end

  def weight
    20 + label.length
  end
end
