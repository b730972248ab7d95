# frozen_string_literal: true

# Runs cells of a notebook, each when it is asked for: what `amber launch season.ipynb` starts for one of Ruby.
#
# A JSON object a line, {"run": 2, "name": "season.ipynb#2", "text": …}, is read from descriptor 3, and answered on
# descriptor 4: {"ran": 2, "number": 5, "error": null or {"type": …, "text": …}}.

require 'json'

# It has its variables apart, since those outside of methods are the cells'.
module AmberCells
  class << self
    def serve
      asked = IO.for_fd(3, 'r:UTF-8')
      told = IO.for_fd(4, 'w')
      [asked, told].each { |one| one.close_on_exec = true }
      [told, $stdout].each { |one| one.sync = true }
      told.puts JSON.generate({ ready: true, shell: nil })
      asked.each_line.with_index(1) do |line, number|
        wanted = JSON.parse(line)
        error = run(wanted['name'], wanted['text'])
        about = error && { type: error.class.name, text: error.message[0, 300] }
        told.puts JSON.generate({ ran: wanted['run'], number: number, error: about })
      end
    end

    private

    # What it has raised, which is printed; what comes of the cell is shown.
    def run(name, text)
      value = TOPLEVEL_BINDING.eval(text, name, 1)
      puts value.inspect unless value.nil?
    rescue SystemExit
      raise
    rescue Exception => error
      error.set_backtrace((error.backtrace || []).reject { |at| at.start_with?(__FILE__) })
      warn error.full_message(highlight: false)
      error
    else
      nil
    end
  end
end

AmberCells.serve
