# frozen_string_literal: true

# Who holds a berth in a year, and what they owe.
require_relative 'register'
require_relative 'dues'

REGISTER = Register.new

def handle(_path, body)
  berth = body['berth'].to_s
  year = body['year'].to_i
  return { 'ok' => false, 'why' => 'no such year' } unless (2020..2030).cover?(year)

  holder = REGISTER.holder(berth, year)
  return { 'ok' => true, 'holder' => nil } if holder.nil?

  owed = dues(holder, year)
  answer = { 'ok' => true, 'holder' => holder.name, 'owed' => owed }
  answer['letter'] = letter(holder, owed) if body['full']
  answer
end

def letter(holder, owed)
  greeting = "Dear #{holder.name.split.first}"
  return "#{greeting}, all is paid." if owed.zero?

  "#{greeting}, #{format('%.2f', owed)} are due."
end
