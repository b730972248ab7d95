# What a night in the harbour costs.
module HarbourDues
  METER = 2.5
  LINE = 0.5

  def self.of(length, nights, lines)
    dues = length * METER * nights
    dues += (lines - 2) * LINE
    dues -= 5 if nights > 2
    dues.round(2)
  end
end
