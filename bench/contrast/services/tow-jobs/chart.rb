# Depths, in squares.
module Chart
  DEEP = 9
  SHALLOW = 3

  def self.depth(x, y)
    return SHALLOW if x > 5
    return DEEP if y > 5

    6
  end
end
