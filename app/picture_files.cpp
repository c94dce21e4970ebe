#include "app/picture_files.h"

#include "app/document_files.h"
#include "core/base/error.h"
#include "core/exchange/carried_document.h"
#include "core/exchange/passes.h"

#include <future>
#include <QFileInfo>

namespace ilumbra {

PictureFiles::PictureFiles(Studio& studio, DocumentFiles& files, QObject* parent)
    : QObject(parent), m_studio(studio), m_files(files) {
  connect(&studio, &Studio::imageArrived, this, [this] {
    if (m_path.isEmpty() || !finished()) return;
    const QString path = std::exchange(m_path, {});
    m_files.setPending({}, {});
    exportPicture(path, false, std::exchange(m_done, {}));
  });
}

bool PictureFiles::finished() const {
  const auto& image = m_studio.image();
  return image && image->finished && image->edition == m_studio.edition();
}

void PictureFiles::exportPicture(const QString& path, bool whenFinished, std::function<void()> done) {
  const QString name = QFileInfo(path).fileName();
  if (whenFinished && !finished()) {
    m_path = path;
    m_done = std::move(done);
    m_files.setPending(tr("%1 is to be written when the picture is finished").arg(name), [this] { m_path.clear(); });
    m_studio.tell(tr("%1 will be written when the picture is finished").arg(name));
    return;
  }
  // The session gives the picture away between two passes; it is packed and written here.
  struct Picture {
    PictureFile file;
    std::string view;
    uint32_t samples = 0;
    Document written;
  };
  const auto given = std::make_shared<std::promise<Picture>>();
  m_studio.session().run(
      [given, path](const Session::State* state, const std::string& why) {
        try {
          if (!state) throw badInput(why);
          const bool exr = path.endsWith(QStringLiteral(".exr"));
          given->set_value(
              {pictureFile(state->doc, currentFrame(state->doc), state->rendering, state->groupScales, state->developed,
                           exr ? parsePasses("all") : std::vector<std::string>{}, state->tasks, state->denoiser),
               settingsOf(state->doc).text("view"), state->rendering.samples(), state->written});
        } catch (...) {
          given->set_exception(std::current_exception());
        }
      },
      Session::Needs::Picture);
  const auto over = [this, done] {
    if (done) done();
  };
  m_studio.background(tr("Writing %1").arg(name),
                      [this, given, path, name, over,
                       views = m_studio.sharedViews()](const CancelFlag& cancel) -> std::function<void()> {
                        std::future<Picture> coming = given->get_future();
                        while (coming.wait_for(std::chrono::milliseconds(20)) != std::future_status::ready)
                          if (cancel.requested()) throw cancelled();
                        Picture p = coming.get();
                        carryDocument(p.file, p.written, path.toStdString());
                        writePicture(p.file, path.toStdString(), *views, p.view);
                        return [this, name, over, samples = p.samples] {
                          m_studio.tell(tr("Wrote %1 with %n sample(s)", nullptr, int(samples)).arg(name));
                          over();
                        };
                      },
                      {.lane = QStringLiteral("picture"), .waits = true, .failed = over});
}

} // namespace ilumbra
