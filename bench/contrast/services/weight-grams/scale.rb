# What the scale and the clerk say of a parcel; weights in kilograms.
module Scale
  UNITS = { 'kg' => 1.0, 'lb' => 0.4536, 'g' => 1.0 }.freeze

  def self.read(given)
    number, unit = given['weight'].split(' ', 2)
    factor = UNITS.fetch(unit || 'kg')
    weight = (number.to_f * factor).round(2)
    { kind: given['kind'] || 'parcel', weight: weight, fragile: given['fragile'] == true }
  end
end
