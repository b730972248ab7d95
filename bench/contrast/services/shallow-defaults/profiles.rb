# How a profile is put together.
module Profiles
  DEFAULTS = { seat: 'any', news: true, extras: [], language: 'en' }.freeze
  ALLOWED = %w[dog bicycle breakfast blanket].freeze

  def self.build(choices)
    profile = DEFAULTS.dup
    choices.each do |name, value|
      key = name.to_sym
      raise ArgumentError, "no choice #{name}" unless DEFAULTS.key?(key)

      profile[key] = value
    end
    profile
  end

  def self.add(profile, extra)
    return unless ALLOWED.include?(extra)

    profile[:extras] << extra unless profile[:extras].include?(extra)
  end
end
