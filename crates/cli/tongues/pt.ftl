release-number = versão { $number }
release = { $release } de { $name }, publicada em { $day }
ends-soon = nota: as assinaturas dela terminam em { $day }; avise quem convidou você de que ela precisa ser publicada de novo
unreachable = nota: { $address } não pode ser alcançado ({ $reason }); vale o que dizia da última vez
followed-before = nota: até agora este jogo seguia { $invite }
nothing-yet = nota: ainda não há nada de { $game } nesta pasta
looks-after = nota: do seu jogo, isto cuida dos mods em { $folders }; de mais nada
looks-after-more = nota: do seu jogo, isto cuida dos mods em { $folders }, e muda o que pertence a eles em { $others }; mais nada
own-folder = a própria pasta do jogo
other-version = nota: { $what } é { $here } aqui e { $there } no servidor: enquanto não for igual, você não entra, sejam quais forem os mods
what-game = o jogo
what-loader = o carregador dos mods
what-runtime = aquilo em que o jogo roda
root-beyond = nota: entre elas está a própria pasta do jogo, onde ficam os programas, e não só pastas de mods
programs-beyond = nota: poria ou mudaria { $programs } fora das pastas de mods:
programs = { $count ->
    [one] 1 programa ou script
   *[other] { $count } programas ou scripts
}
beyond-later = nota: isso será perguntado à parte; sem terminal é preciso --beyond-mods
beyond-nobody = nada foi feito, pois não havia a quem perguntar; se você confia tanto em quem convidou, acrescente --beyond-mods
interrupted = a última vez foi interrompida depois de { $done } de { $all } passos; primeiro ela é terminada

key-yes = s
key-no = n
ask-do = Fazer isto?
ask-optional = Levar também { $mod }? Dá para jogar sem ele.
ask-finish = Terminar?
ask-other = Seguir a nova de agora em diante, e não mais a outra?
ask-root = Deixar cuidar também dessa pasta?
ask-trust = Você confia tanto em quem convidou?
ask-anyway = { $error }. É mesmo assim a pasta do jogo?

plan = { $game } precisa disto ({ $size } a gravar):
change-new = novo
change-other = mudado
change-mended = consertado
change-gone = retirado
change-renamed = renomeado
change-kept = guardado
more-mods = { $count ->
    [one] e mais 1 mod
   *[other] e mais { $count } mods
}
not-on-server = o servidor não o tem

word-done = feito
word-in-line = em dia
word-still-off = ainda errado
word-fetched = baixado
done = { $word }: { $game } está em dia com { $server }
done-partly = { $word }: tudo o que se pode daqui
in-line = { $game } está { $word } com { $server }
still-off = { $word } em { $game }, e sem conserto daqui:
take-back = para desfazer: { $command }
after-update = depois da próxima atualização: { $command }
do-this = faça: { $command }
kept-in = o que havia está guardado em { $folder }
fetched = { $word }: { $size } para { $files }
fetched-reused = { $size } em pedaços já estavam aqui
files = { $count ->
    [one] 1 arquivo
   *[other] { $count } arquivos
}

join-hello = Olá! Convidaram você para jogar, e isto prepara o seu jogo.
join-safe = Nada muda antes de você dizer sim, e tudo pode ser desfeito.
join-where = Onde está o seu jogo? Digite um número ou a pasta; você pode arrastar a pasta para esta janela. Só Enter para sair.
join-looks-like-it = { $folder } (parece o jogo)
join-no-folder = Não há pasta { $folder } aqui.
join-no-number = Nada aqui tem o número { $number }.
join-menu = { $game } já é conhecido. E agora? Só Enter é 1.
join-menu-ready = Preparar para entrar
join-menu-undo = Desfazer a última mudança
join-menu-put-back = Devolver algo que foi posto de lado
join-menu-report = Gravar um arquivo para quem ajuda você
join-menu-other = O jogo está em outra pasta
join-menu-leave = Sair
join-ready = Você já pode entrar. Divirta-se!
join-again = Inicie este programa de novo depois de uma atualização do servidor, ou para desfazer isto.
join-as-known = O seu jogo está como o servidor queria quando se pôde perguntar da última vez. Talvez agora queira outra coisa.
join-not-ready = Você ainda não pode entrar. O que falta está acima.
join-nothing-changed = Nada foi mudado.
join-report = Envie este arquivo a quem ajuda você: { $file }
join-aside = Isto foi posto de lado. O que você quer de volta? Digite um número; só Enter para sair.
join-aside-none = Nada foi posto de lado aqui.
join-aside-taken = Há outra coisa em { $path } agora, e ela fica.
join-put-back = { $path } está de volta. Se o servidor não o tem, a próxima atualização o põe de lado de novo.
join-taken-back = A última mudança foi desfeita.
join-close = Aperte Enter para fechar esta janela.
