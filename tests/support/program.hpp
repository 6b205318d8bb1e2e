#pragma once

#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>

namespace ulterix::testing {

namespace fs = std::filesystem;

/// A temporary folder in which the built program is run; gone at the end.
class Workplace {
 public:
  Workplace() {
    std::string pattern = (fs::temp_directory_path() / "ulterix-test-XXXXXX").string();
    folder_ = mkdtemp(pattern.data());
  }
  ~Workplace() {
    std::error_code ignored;
    fs::remove_all(folder_, ignored);
  }
  Workplace(const Workplace&) = delete;
  Workplace& operator=(const Workplace&) = delete;

  struct Result {
    int status = -1;
    std::string out, err;
  };

  /// Runs `ulterix ARGUMENTS` by the shell in the folder; `before` may set limits.
  Result run(const std::string& arguments, const std::string& before = "") const {
    const std::string command = "cd '" + folder_.string() + "' && " + before + " '" +
                                ULTERIX_PROGRAM "' " + arguments + " >stdout.txt 2>stderr.txt";
    const int status = std::system(command.c_str());
    Result result;
    result.status = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    // The commands that it prints are as it was called.
    result.out = with_plain_name(read("stdout.txt"));
    result.err = with_plain_name(read("stderr.txt"));
    return result;
  }

  static std::string with_plain_name(std::string text) {
    const std::string called = ULTERIX_PROGRAM;
    for (std::size_t at = text.find(called); at != std::string::npos; at = text.find(called, at)) {
      text.replace(at, called.size(), "ulterix");
    }
    return text;
  }

  void write(const std::string& name, const std::string& text) const {
    std::ofstream(folder_ / name, std::ios::binary) << text;
  }
  std::string read(const std::string& name) const {
    std::ifstream in(folder_ / name, std::ios::binary);
    std::ostringstream all;
    all << in.rdbuf();
    return all.str();
  }
  bool has(const std::string& name) const { return fs::exists(folder_ / name); }
  const fs::path& folder() const { return folder_; }

  /// Files and folders left by an unfinished run.
  int unfinished() const {
    int count = 0;
    for (const auto& e : fs::directory_iterator(folder_)) {
      count += e.path().filename().string().find("unfinished") != std::string::npos;
    }
    return count;
  }

 private:
  fs::path folder_;
};

}  // namespace ulterix::testing
